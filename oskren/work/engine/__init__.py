"""What long work runs on: jobs that last, and their progress."""
