"""How a table is to be read: which column is what. Proposed (:mod:`.propose`), confirmed by the
user, kept as a small open file, remembered by the table's shape.
"""

import hashlib
import json
import re
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass, fields
from datetime import datetime
from pathlib import Path
from typing import Any, Literal, cast, get_args
from zoneinfo import ZoneInfo

from nipper.core.documents import parse_json, read_text
from nipper.core.errors import InputError
from nipper.core.logs.clocktext import ISO
from nipper.core.logs.timeforms import FORMS, TimeForm

FORMAT = "nipper-columns"
BalancingForm = Literal["list", "list_from_0", "bits", "flags", "flags_reversed"]


COLUMN_LISTS = ("cells", "temps", "other_temps", "balancing_cells")
MOST_FACTOR = 1e9


@dataclass(frozen=True, slots=True)
class ColumnMapping:
    """How to read a table.

    Scales multiply what stands there; ``current_scale`` is negative where discharge is positive.
    """

    time: str
    time_form: TimeForm
    cells: tuple[str, ...]
    second_time: str | None = None  # date and time of day in two columns
    zone: str = "UTC"  # for times without an offset
    begins: str | None = None  # of times without a date: the day they are of, the moment they begin
    current: str | None = None
    current_scale: float = 1.0
    discharge: str | None = None  # a column of its own, counted against ``current``
    direction: str | None = None  # a column that says which way an unsigned current flows
    directions: tuple[tuple[str, int], ...] = ()  # its values: +1 charging, -1 discharging, 0
    power: bool = False  # ``current`` holds watts: divided by the pack's voltage
    pack: str | None = None
    pack_scale: float = 1.0
    cell_scale: float = 1.0
    temps: tuple[str, ...] = ()  # on cells
    other_temps: tuple[str, ...] = ()  # of switches, air or board: not read
    temp_unit: Literal["C", "F", "K"] = "C"
    temp_scale: float = 1.0
    soc: str | None = None
    soc_scale: float = 1.0
    balancing: str | None = None
    balancing_form: BalancingForm = "list"
    balancing_cells: tuple[str, ...] = ()  # one column a cell
    hold_s: float = 0.0  # how long a value stands until the next one is written

    def to_json(self) -> dict[str, object]:
        """A plain JSON object; :meth:`from_json` gives the same mapping back."""
        return asdict(self)

    @classmethod
    def from_json(cls, document: Mapping[str, Any]) -> "ColumnMapping":
        """The mapping of :meth:`to_json`."""
        known = {name: document[name] for name in cls.__slots__ if name in document}
        for name in COLUMN_LISTS:
            known[name] = tuple(known.get(name, ()))
        known["directions"] = tuple((str(w), int(s)) for w, s in known.get("directions", ()))
        return cls(**known)

    def columns(self) -> list[str]:
        """All columns it reads."""
        single = (
            self.time,
            self.second_time,
            self.current,
            self.discharge,
            self.direction,
            self.pack,
            self.soc,
            self.balancing,
        )
        named = [c for c in single if c]
        return [*named, *self.cells, *self.temps, *self.balancing_cells]


def load_mapping(path: str | Path) -> ColumnMapping:
    """A mapping from its file; :class:`InputError` names the place in it."""
    file = str(path)
    document: Any = parse_json(read_text(path), file)
    if not isinstance(document, dict):
        raise InputError(file, "the document", "an object")
    keys = cast("dict[str, Any]", document)
    if keys.get("format") != FORMAT:
        raise InputError(file, "format", f"{FORMAT!r}")
    known = {f.name for f in fields(ColumnMapping)}
    unknown = sorted(set(keys) - known - {"format", "version"})
    if unknown:
        raise InputError(file, unknown[0], f"one of {', '.join(sorted(known))}")
    for name in ("time", "time_form", "cells"):
        if name not in keys:
            raise InputError(file, name, "this key")
    _check_types(keys, file)
    return ColumnMapping.from_json(keys)


def _check_types(document: dict[str, Any], file: str) -> None:
    """Each key with what can be meant; the first that is not names its place."""
    kinds: dict[str, tuple[type, ...]] = {}
    for field in fields(ColumnMapping):
        kind = str(field.type)
        if kind.startswith("tuple"):
            kinds[field.name] = (list,)
        elif "float" in kind:
            kinds[field.name] = (int, float)
        elif kind == "<class 'bool'>" or field.name == "power":
            kinds[field.name] = (bool,)
        else:
            kinds[field.name] = (str, type(None))
    for name, value in document.items():
        if name in kinds and not isinstance(value, kinds[name]):
            raise InputError(file, name, f"{kinds[name][0].__name__}, found {value!r}"[:120])
    for name, choices in (
        ("time_form", FORMS),
        ("temp_unit", ("C", "F", "K")),
        ("balancing_form", get_args(BalancingForm)),
    ):
        if name in document and document[name] not in choices:
            raise InputError(file, name, f"one of {', '.join(choices)}")
    if not document["cells"]:
        raise InputError(file, "cells", "the names of the columns of the cells, in order")
    for name in COLUMN_LISTS:
        if not all(isinstance(column, str) for column in document.get(name, ())):
            raise InputError(file, name, "names of columns")
    for name in (n for n, kind in kinds.items() if kind == (int, float) and n in document):
        if not abs(document[name]) < MOST_FACTOR:
            raise InputError(file, name, f"a number below {MOST_FACTOR:g}")
    if document.get("begins") and not _is_moment(document["begins"]):
        raise InputError(file, "begins", "a moment such as 2026-03-01T09:10:00")
    if not all(_is_direction(pair) for pair in document.get("directions", ())):
        raise InputError(file, "directions", 'pairs such as ["charging", 1]')
    try:
        ZoneInfo(document.get("zone", "UTC"))
    except (KeyError, TypeError, ValueError, OSError):
        raise InputError(file, "zone", "the name of a time zone such as Europe/Vienna") from None


def _is_moment(text: str) -> bool:
    """Whether a text is ISO, of a day the calendar has."""
    try:
        datetime.fromisoformat(text)
    except ValueError:
        return False
    return bool(ISO.match(text))


def _is_direction(pair: Any) -> bool:
    match pair:
        case [str(), -1 | 0 | 1]:
            return True
        case _:
            return False


def mapping_file(mapping: ColumnMapping) -> str:
    """The text of a mapping's file."""
    document = {"format": FORMAT, "version": 1, **mapping.to_json()}
    return json.dumps(document, indent=2, ensure_ascii=False) + "\n"


def shape_key(columns: Sequence[str]) -> str:
    """What files of one shape share: their header. Used to remember a confirmed mapping."""
    return hashlib.sha256("\x1f".join(columns).encode()).hexdigest()[:16]


def plain_mapping(columns: Sequence[str]) -> ColumnMapping | None:
    """The mapping of Nipper's own plain log, or None when the header is not that of one."""
    cells = tuple(name for name in columns if re.fullmatch(r"cell_\d+_v", name))
    if not cells or not {"time", "current_a", "pack_v"} <= set(columns):
        return None
    if [int(name[5:-2]) for name in cells] != list(range(1, len(cells) + 1)):
        return None
    return ColumnMapping(
        time="time",
        time_form="plain",
        cells=cells,
        current="current_a",
        pack="pack_v",
        temps=tuple(name for name in columns if re.fullmatch(r"temp_\d+_c", name)),
        soc="soc_pct" if "soc_pct" in columns else None,
        balancing="balancing" if "balancing" in columns else None,
    )
