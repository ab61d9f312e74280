"""Everything that is checked."""

from hypothesis import settings

# laws hold however long a busy machine takes over one example
settings.register_profile("busy machine", deadline=None)
settings.load_profile("busy machine")
