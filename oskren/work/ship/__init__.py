"""Everything that leaves as a file: items, names, the run that writes and reads back, shipments, exports."""
