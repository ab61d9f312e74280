"""Finding, correcting and finishing slices of long sounds."""
