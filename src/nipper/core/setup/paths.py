"""Single settings by their JSON path: ``protection.cell_over_voltage.trip_v``,
``other_chargers.0.float_v``.
"""

import re
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from functools import lru_cache, reduce
from typing import Any, cast, get_origin

from pydantic import BaseModel

from nipper.core.documents import known_keys, model_in
from nipper.core.errors import InputError
from nipper.core.setup.bank import Setup
from nipper.core.setup.part import Part
from nipper.core.setup.reading import parse

THESE = "the settings"


def is_path(path: str) -> bool:
    """Whether a setting can stand at that path."""
    *parts, name = _steps(path)
    return name in known_keys(Setup, parts)


@dataclass(frozen=True, slots=True)
class Described:
    """What the models say of a setting: its part, its title and its description."""

    path: str
    part: str
    title: str
    about: str


def described() -> Iterator[Described]:
    """All settings a bank can have, in the order of the models; an item of a list is number 0."""
    return _described(Setup, "", "")


def _described(model: type[BaseModel], before: str, part: str) -> Iterator[Described]:
    for name, info in model.model_fields.items():
        inner, title = model_in(info.annotation), info.title or name.replace("_", " ")
        if inner is None:
            yield Described(f"{before}{name}", part, title, info.description or "")
        elif name != "packs":  # a pack's own settings are the bank's once more
            of_list = get_origin(info.annotation) in (list, tuple)
            yield from _described(inner, f"{before}{name}.{'0.' if of_list else ''}", title)


@lru_cache(1024)  # forms and rules ask for the same some hundred at every move of a limit
def _steps(path: str) -> tuple[str, ...]:
    """The keys and numbers of a path; ``packs[1].capacity_ah`` is ``packs.1.capacity_ah``."""
    return tuple(re.sub(r"\[(\d+)\]", r".\1", path).split("."))


def get(setup: Part, path: str) -> Any:
    """The value at a path; None where a part on the way is left out."""
    start: Any = setup
    return reduce(_inner, _steps(path), start)


def _inner(place: Any, name: str) -> Any:
    if place is None:
        return None
    if isinstance(place, Part):
        return getattr(place, name)
    number = int(name)
    return place[number] if number < len(place) else None


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
        *parts, name = _steps(path)
        place: Any = document
        for part in parts:
            place = _enter(_holder(place, path), part, path)
        _set(_holder(place, path), name, value, path)
    return parse(document, THESE).within_bank(setup.bank_ah_given, setup.own)


Place = dict[str, Any] | list[Any]


def _holder(place: Any, path: str) -> Place:
    if not isinstance(place, dict | list):
        raise InputError(THESE, path, "the path of a setting, nothing stands below a number")
    return cast(Place, place)


def _enter(place: Place, name: str, path: str) -> Any:
    if isinstance(place, dict):
        return place.setdefault(name, {})
    number = _number(place, name, path)
    if number == len(place):
        place.append({})
    return place[number]


def _set(place: Place, name: str, value: object, path: str) -> None:
    if isinstance(place, list):
        number = _number(place, name, path)
        place[number : number + 1] = [] if value is None else [value]
    elif value is None:
        place.pop(name, None)
    else:
        place[name] = value


def _number(place: list[Any], name: str, path: str) -> int:
    """Which item of a list is meant."""
    digits = len(str(len(place)))
    if not name.isdecimal() or len(name) > digits or int(name) > len(place):
        raise InputError(THESE, path, f"a number from 0 to {len(place)} for {name[:20]!r}")
    return int(name)
