"""Measurements: levels, loudness, spectrum, pitch, events, noise."""
