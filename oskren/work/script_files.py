"""JSON files that scripts hand in, read as a model or refused in one sentence."""

from __future__ import annotations

from pathlib import Path
from typing import TypeVar

from pydantic import BaseModel, ValidationError

from oskren.core.errors import OskrenError, first_wrong

ModelT = TypeVar("ModelT", bound=BaseModel)


def read(path: Path, model: type[ModelT], what: str) -> ModelT:
    """A file as a model; ``what`` is the command that prints its schema.

    Raises
    ------
    OskrenError
        When it cannot be read, is no text, or does not fit the schema; names the file.
    """
    schema = f"see oskren {what} --schema"
    try:
        return model.model_validate_json(path.read_text())
    except OSError as error:
        raise OskrenError(f"{path}: cannot be read ({error.strerror}); check the path") from error
    except UnicodeDecodeError as error:
        raise OskrenError(f"{path}: is not a text file; it is to be JSON ({schema})") from error
    except ValidationError as error:
        raise OskrenError(f"{path}: {first_wrong(error)}; {schema}") from error
