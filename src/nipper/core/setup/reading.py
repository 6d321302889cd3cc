"""Setup files: read, written, and those kept in a bench brought back within bounds."""

import json
from collections.abc import Sequence
from pathlib import Path
from typing import Any, cast

from pydantic import ValidationError

from nipper.core import documents
from nipper.core.errors import InputError
from nipper.core.setup.bank import Setup
from nipper.core.setup.packs import merged

BOUNDS = {"less_than_equal": "le", "greater_than_equal": "ge"}


def parse(document: object, file: str = "setup") -> Setup:
    """Check a JSON document and make the setup of it.

    Raises
    ------
    InputError
        Names the JSON path of the first thing that is wrong and what was expected there.
    """
    setup = documents.checked(Setup, _counted(document, file), file)
    _check_packs(setup, file)
    return setup


def _counted(document: object, file: str) -> object:
    """The number of packs may be left out where the packs are listed; else it is their number."""
    if not isinstance(document, dict):
        return document
    keys = cast("dict[str, Any]", document)
    packs = keys.get("packs")
    if not isinstance(packs, list) or not packs:
        return keys
    count = len(cast("list[Any]", packs))
    given = keys.get("packs_in_parallel", count)
    if given != count:
        raise InputError(file, "packs_in_parallel", f"{count}, as many as packs lists, not {given}")
    return {**keys, "packs_in_parallel": count}


def _check_packs(setup: Setup, file: str) -> None:
    """Every pack must be a setup by itself; the error names the place in its list."""
    common = setup.model_dump(mode="json", exclude_none=True, exclude={"packs"})
    for i, own in enumerate(setup.packs):
        document = own.model_dump(mode="json")
        document.pop("name", None)
        try:
            documents.checked(Setup, merged(common, document), file)
        except InputError as error:
            raise InputError(file, f"packs[{i}].{error.place}", error.expected) from None
    names = [own.name.lower() for own in setup.packs if own.name]
    twice = next((i for i, n in enumerate(names) if n in names[:i]), None)
    if twice is not None:
        raise InputError(file, f"packs[{twice}].name", "a name of its own for each pack")


def loads(text: str, file: str = "setup") -> Setup:
    """Make a setup of JSON text; an error names line and column, or the JSON path."""
    return parse(documents.parse_json(text, file), file)


def load(path: str | Path) -> Setup:
    """Read a setup file; :class:`InputError` when it cannot be read or is no setup."""
    return loads(documents.read_text(path), str(path))


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
