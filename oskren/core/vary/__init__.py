"""Recipes, draws and what they sound like."""
