"""Picture's rules: films and their frames, cues, placements on the frame, taps, places, and what is handed over."""
