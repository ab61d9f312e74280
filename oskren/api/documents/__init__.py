"""What people make, over HTTP: read, kept by revision, undone and done again."""
