"""Clips, open audio formats, channel layouts, resampling and dither."""
