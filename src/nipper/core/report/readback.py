"""What the BMS shows, typed or from a file, held against the settings; and which settings were in
force when.
"""

import csv
import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Protocol, TypeVar

from nipper.core.errors import InputError, RangeError
from nipper.core.quantities import parse_quantity, unit_of
from nipper.core.report.typingsheet import TITLES, UNITS, Line, Menu, differences
from nipper.core.setup import Part, Setup, get, put

MAX_ROWS, MAX_BYTES = 2000, 1_000_000
OF_WORDS = (".kind", ".when", ".switched", ".in_over_voltage")
IN_FORCE = ("typed in", "read back")
MINUS, DASHES = "−", ("", "–", "-", "—")


class Dated(Protocol):
    """A revision of the settings, as far as this module asks."""

    @property
    def time_s(self) -> float: ...
    @property
    def kind(self) -> str: ...


R = TypeVar("R", bound=Dated)


@dataclass(frozen=True, slots=True)
class ReadBack:
    """What was read, applied to the settings: ``lines`` are the differences (value: as shown by the
    BMS, before: as set).
    """

    shown: Setup
    read: int
    lines: tuple[Line, ...]

    @property
    def note(self) -> str:
        """A line for the list of revisions."""
        count = len(self.lines)
        told = (
            "as set"
            if not count
            else f"{count} difference{'s' if count > 1 else ''} to the settings"
        )
        return f"read back {self.read} settings: {told}"


def parse_shown(path: str, text: str, unit: str = "") -> object:
    """The value of a setting from what a BMS shows: 3650 mV, 3.65, 275.15 K, active; None for a
    dash (left out).

    Parameters
    ----------
    unit : in which the menu says it is shown, where the text names none

    Raises
    ------
    RangeError
        Says what was expected.
    """
    text = text.strip()
    if text in DASHES:
        return None
    own = unit_of(path)
    known = UNITS.get(own, {})
    for shown in sorted(known, key=len, reverse=True):  # "0.1 A" before "A"
        if (
            shown[0].isdigit()
            and text.endswith(f" {shown}")
            and _is_number(text.removesuffix(shown))
        ):
            return _from_bms(text.removesuffix(shown), known[shown])
    if unit in known and unit != own and _is_number(text):
        return _from_bms(text, known[unit])
    return _word_or_number(path, text, own)


def _is_number(text: str) -> bool:
    try:
        float(text.replace(",", ".").replace(MINUS, "-"))
    except ValueError:
        return False
    return True


def _from_bms(text: str, form: tuple[float, float, int]) -> float:
    factor, offset, _ = form
    clean = text.strip().replace(",", ".").replace(MINUS, "-")
    try:
        return round((float(clean) - offset) / factor, 6)
    except ValueError:
        raise RangeError(f"expected a number, found {text.strip()!r}") from None


def _word_or_number(path: str, text: str, own: str) -> object:
    if path.endswith(OF_WORDS) or path == "chemistry":
        return text.lower().replace(" ", "_")
    value = parse_quantity(text, own)
    if not math.isfinite(value):
        raise RangeError(f"expected a number, found {text!r}")
    return int(value) if path == "cells_in_series" and value == int(value) else value


def read_back(setup: Setup, values: Mapping[str, object]) -> ReadBack:
    """Hold read values against the settings; what was not read is taken as set.

    Raises
    ------
    InputError
        When a value cannot stand at its path.
    """
    groups: dict[str, dict[str, object]] = {}
    for path, value in values.items():
        part, _, name = path.rpartition(".")
        groups.setdefault(part, {})[name] = value
    changes: dict[str, object] = {}
    for part, found in groups.items():
        changes |= _of_part(setup, part, found)
    shown = put(setup, changes)
    return ReadBack(
        shown, sum(v is not None for v in values.values()), tuple(differences(setup, shown))
    )


def _of_part(setup: Setup, part: str, found: Mapping[str, object]) -> dict[str, object]:
    """Changes of one part: a limit the BMS shows and the settings leave out comes as a whole, one
    it does not have goes as a whole.
    """
    here: Part | None = get(setup, part) if part else setup
    if here is None:
        there = {name: value for name, value in found.items() if value is not None}
        return {part: there} if there else {}
    required = {name for name, info in type(here).model_fields.items() if info.is_required()}
    if any(name in found and found[name] is None for name in required):
        return {part: None}
    return {f"{part}.{name}" if part else name: value for name, value in found.items()}


def read_table(file: str) -> str:
    """The text of a table; :class:`InputError` when it cannot be read or is no table of
    settings.
    """
    path = Path(file)
    try:
        if path.stat().st_size > MAX_BYTES:
            raise InputError(file, "the whole file", f"a table of at most {MAX_BYTES} bytes")
        return path.read_bytes().decode("utf-8-sig")
    except (OSError, UnicodeDecodeError) as error:
        raise InputError(file, "the file", f"a readable UTF-8 file ({error})") from None


def values_of_csv(text: str, menu: Menu, file: str = "table") -> dict[str, object]:
    """Values from a table with a header: ``path`` or ``setting`` (the menu's labels, or ours) and
    ``value``; the typing sheet's own CSV is one.

    Raises
    ------
    InputError
        Names the line and what was expected; nothing is taken then.
    """
    delimiter = (
        ";" if text.partition("\n")[0].count(";") > text.partition("\n")[0].count(",") else ","
    )
    try:
        rows = list(csv.reader(text.lstrip("\ufeff").splitlines(), delimiter=delimiter))
    except csv.Error as error:
        raise InputError(file, "the table", f"a table as CSV ({error})") from None
    header = [h.strip().lower() for h in rows[0]] if rows else []
    if "value" not in header or not {"path", "setting"} & set(header):
        raise InputError(file, "line 1", "a header with value and path (or setting)")
    labels, units = _labels(menu), {item.path: item.unit for item in menu.items}
    at = {
        name: header.index(name)
        for name in ("path", "setting", "section", "value")
        if name in header
    }
    values: dict[str, object] = {}
    for number, row in enumerate(rows[1:MAX_ROWS], 2):
        cells = {name: row[i].strip() if i < len(row) else "" for name, i in at.items()}
        if not any(cells.values()) or cells["value"] == "":
            continue
        path = (
            cells.get("path")
            or labels.get((cells.get("section", "").lower(), cells.get("setting", "").lower()))
            or labels.get(("", cells.get("setting", "").lower()))
        )
        if path not in TITLES:
            raise InputError(
                file,
                f"line {number}",
                "a setting that is known, found "
                f"{(cells.get('path') or cells.get('setting') or '')!r}",
            )
        try:
            values[path] = parse_shown(path, cells["value"], units.get(path, ""))
        except RangeError as error:
            raise InputError(file, f"line {number}, value", str(error)) from None
    if not values:
        raise InputError(file, "the table", "at least one value")
    return values


def _labels(menu: Menu) -> dict[tuple[str, str], str]:
    """Paths by (section, setting) in lower case; a name that stands alone only once also without
    its section.
    """
    named = [(TITLES[path][0].lower(), TITLES[path][1].lower(), path) for path in TITLES]
    named += [("", item.label.lower(), item.path) for item in menu.items if item.label]
    out = {(section, title): path for section, title, path in named}
    titles = [title for _, title, _ in named]
    return out | {("", title): path for _, title, path in named if titles.count(title) == 1}


def in_force(revisions: Sequence[R], time_s: float) -> R | None:
    """The revision that was in the BMS at a moment: the last one typed in or read back before it;
    None before the first.
    """
    return next((r for r in reversed(revisions) if r.kind in IN_FORCE and r.time_s <= time_s), None)
