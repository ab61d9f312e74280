"""Long work of Gather: import, upload, recording, offloading, watched folders, excerpts, backups."""
