"""What is said of sounds: names, categories, sets, chains followed, arrivals, the wanted list; with undo."""
