"""Libraries on disk: SQLite through SQLAlchemy, media by hash, search columns in memory."""

from oskren.store.home import Home
from oskren.store.library import Library

__all__ = ["Home", "Library"]
