"""Work that takes time: worker processes, jobs with progress and cancel, and what they do."""
