"""Oskren: from raw recordings to designed, varied, sliced and shipped sounds."""

__version__ = "0.1.0"
