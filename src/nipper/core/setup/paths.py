"""Single settings by their JSON path: ``protection.cell_over_voltage.trip_v``, ``other_chargers.0.float_v``."""

from collections.abc import Mapping
from functools import reduce
from typing import Any

from nipper.core.documents import known_keys
from nipper.core.errors import InputError
from nipper.core.setup.bank import Setup
from nipper.core.setup.part import Part
from nipper.core.setup.reading import parse

THESE = "the settings"


def is_path(path: str) -> bool:
    """Whether a setting can stand at that path."""
    *parts, name = path.split(".")
    return name in known_keys(Setup, parts)


def get(setup: Part, path: str) -> Any:
    """The value at a path; None where a part on the way is left out."""
    return reduce(_inner, path.split("."), setup)


def _inner(place: Any, name: str) -> Any:
    if place is None:
        return None
    if isinstance(place, tuple):
        number = int(name)
        return place[number] if number < len(place) else None
    return getattr(place, name)


def put(setup: Setup, changes: Mapping[str, object]) -> Setup:
    """A new setup with the values at those paths replaced, checked as a file would be.

    None takes a setting out; the number after a list's last item adds one.

    Raises
    ------
    InputError
        When a value cannot stand at its path.
    """
    document = setup.model_dump(mode="json", exclude_none=True)
    for path, value in changes.items():
        *parts, name = path.split(".")
        place: Any = document
        for part in parts:
            place = _enter(place, part, path)
        _set(place, name, value, path)
    return parse(document, THESE)


def _enter(place: Any, name: str, path: str) -> Any:
    if isinstance(place, dict):
        return place.setdefault(name, {})
    number = _number(place, name, path)
    if number == len(place):
        place.append({})
    return place[number]


def _set(place: Any, name: str, value: object, path: str) -> None:
    if isinstance(place, dict):
        if value is None:
            place.pop(name, None)
        else:
            place[name] = value
        return
    number = _number(place, name, path)
    place[number : number + 1] = [] if value is None else [value]


def _number(place: Any, name: str, path: str) -> int:
    """Which item of a list is meant."""
    if not isinstance(place, list):
        raise InputError(THESE, path, "the path of a setting, nothing stands below a number")
    if not name.isdecimal() or int(name) > len(place):
        raise InputError(THESE, path, f"a number from 0 to {len(place)} for {name!r}")
    return int(name)
