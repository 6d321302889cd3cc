"""Setup files: read, written, and those kept in a bench brought back within bounds."""

import json
from collections.abc import Sequence
from pathlib import Path
from typing import Any

from pydantic import ValidationError

from nipper.core import documents
from nipper.core.setup.bank import Setup

BOUNDS = {"less_than_equal": "le", "greater_than_equal": "ge"}


def parse(document: object, file: str = "setup") -> Setup:
    """Check a JSON document and make the setup of it.

    Raises
    ------
    InputError
        Names the JSON path of the first thing that is wrong and what was expected there.
    """
    return documents.checked(Setup, document, file)


def loads(text: str, file: str = "setup") -> Setup:
    """Make a setup of JSON text; an error names line and column, or the JSON path."""
    return parse(documents.parse_json(text, file), file)


def load(path: str | Path) -> Setup:
    """Read a setup file; :class:`InputError` when it cannot be read or is no setup."""
    return documents.load(Setup, path)


def loads_kept(text: str, file: str) -> tuple[Setup, tuple[str, ...]]:
    """Make a setup of the text a bench keeps, and tell what had to be brought back within bounds.

    A number beyond all bounds, typed before there were any, must not lock the bench for ever.
    """
    document = documents.parse_json(text, file)
    told: list[str] = []
    for place, bound in _beyond(document):
        was = _replace(document, place, bound)
        told.append(f"{'.'.join(map(str, place))} was {was:g}: it stands at {bound:g} now")
    return parse(document, file), tuple(told)


def _beyond(document: object) -> list[tuple[Sequence[int | str], float]]:
    try:
        Setup.model_validate(document)
    except ValidationError as error:
        return [
            (e["loc"], e.get("ctx", {})[BOUNDS[e["type"]]])
            for e in error.errors()
            if e["type"] in BOUNDS
        ]
    return []


def _replace(document: Any, place: Sequence[int | str], value: float) -> float:
    *parts, name = place
    for part in parts:
        document = document[part]
    was, document[name] = document[name], value
    return float(was)


def dumps(setup: Setup) -> str:
    """The setup as the JSON text of a setup file; reading it back gives the same setup."""
    return json.dumps(setup.model_dump(exclude_none=True), indent=2, ensure_ascii=False) + "\n"


def json_schema() -> dict[str, Any]:
    """JSON Schema (draft 2020-12) of the setup file, the one shipped as ``setup.schema.json``."""
    schema = Setup.model_json_schema()
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", **schema}
