"""Vary over HTTP: recipes, spreads and what is kept of them."""
