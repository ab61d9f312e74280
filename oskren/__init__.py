"""Oskren: from raw recordings to designed, varied, sliced and shipped sounds."""

import importlib
import os
import sys
from collections.abc import Iterator
from types import ModuleType
from typing import Any

__version__ = "0.1.0"

# the cores are shared out to worker processes: threads of the linear algebra beside them only stand in each other's way
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")


class _Later(ModuleType):
    """A package that is loaded when something of it is used for the first time."""

    def __init__(self, name: str):
        super().__init__(name)
        self.__path__ = _PathLater(self)

    def __getattr__(self, name: str) -> Any:
        if name == "__file__":  # what looks over all modules loads none of them
            raise AttributeError(name)
        return getattr(self.loaded(), name)

    def loaded(self) -> ModuleType:
        if sys.modules.get(self.__name__) is self:
            del sys.modules[self.__name__]
        return importlib.import_module(self.__name__)


class _PathLater(list[str]):
    """Where the modules of such a package lie."""

    def __init__(self, package: _Later):
        super().__init__()
        self.package = package

    def __iter__(self) -> Iterator[str]:
        return iter(self.package.loaded().__path__)


def _score_at_percentile(*arguments: Any, **options: Any) -> Any:
    return _STATS.loaded().scoreatpercentile(*arguments, **options)


# scipy.signal takes one function of scipy.stats, for one of its own that nothing here uses; the hundred distributions that come with it
# would cost every process a third of the time it needs to begin
_STATS = _Later("scipy.stats")
vars(_STATS)["scoreatpercentile"] = _score_at_percentile
sys.modules.setdefault("scipy.stats", _STATS)
