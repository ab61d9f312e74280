"""Picture over HTTP: films, scenes, placements, balance, and what is handed over."""
