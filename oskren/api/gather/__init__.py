"""Gather over HTTP: sounds, arrivals, recording, the wanted list, and what a library keeps beside them."""
