"""Everything that is checked."""

import atexit
import os
import shutil
import tempfile

from hypothesis import settings

# what commands note for their user is noted for the tests alone
if "oskren-tests" not in os.environ.get("XDG_STATE_HOME", ""):
    os.environ["XDG_STATE_HOME"] = tempfile.mkdtemp(prefix="oskren-tests-")
    atexit.register(shutil.rmtree, os.environ["XDG_STATE_HOME"], ignore_errors=True)

# laws hold however long a busy machine takes over one example
settings.register_profile("busy machine", deadline=None)
settings.load_profile("busy machine")
