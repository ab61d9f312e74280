"""JSON files that scripts hand in, read as a model or refused in one sentence."""

from __future__ import annotations

import json
from collections.abc import Callable
from pathlib import Path
from typing import Any, TypeVar

from pydantic import BaseModel, ValidationError

from oskren.core.errors import OskrenError, first_wrong
from oskren.core.nodes.filed import with_sources

ModelT = TypeVar("ModelT", bound=BaseModel)


def read(path: Path, model: type[ModelT], what: str, source: Callable[[str], dict[str, Any]] | None = None) -> ModelT:
    """A file as a model; ``what`` is the command that prints its schema. With ``source``, files stand where the model has nodes.

    Raises
    ------
    OskrenError
        When it cannot be read, is no text, or does not fit the schema; names the file.
    """
    schema = f"see oskren {what} --schema"
    try:
        text = path.read_text()
        return model.model_validate_json(text) if source is None else model.model_validate(with_sources(json.loads(text), source))
    except OSError as error:
        raise OskrenError(f"{path}: cannot be read ({error.strerror}); check the path") from error
    except UnicodeDecodeError as error:
        raise OskrenError(f"{path}: is not a text file; it is to be JSON ({schema})") from error
    except ValidationError as error:
        raise OskrenError(f"{path}: {first_wrong(error)}; {schema}") from error
    except (json.JSONDecodeError, RecursionError) as error:
        raise OskrenError(f"{path}: is not JSON ({error}); {schema}") from error
