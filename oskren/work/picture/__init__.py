"""What takes long in Picture: films are opened, scenes measured and exported."""
