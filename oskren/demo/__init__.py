"""The demo scenario: the Saltglass Observatory, a tidal island of glassworkers and clockwork herons, synthesised by code."""
