"""The typing sheet: every setting in the order of the user's own BMS menu, with its labels and
units; and what differs between two revisions.

The menu order is an open JSON file (``nipper-menu``); the one that ships follows the setup file and
no product.
"""

import csv
import io
import json
from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import Literal, get_args

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from nipper.core.documents import checked, parse_json, read_text
from nipper.core.errors import InputError, RangeError
from nipper.core.quantities import unit_of
from nipper.core.setup import (
    Balancer,
    Charging,
    Link,
    Part,
    Protection,
    SeparateBalancer,
    Setup,
    get,
)

PACK = ("chemistry", "cells_in_series", "capacity_ah")
INVERTER = (
    "inverter_max_charge_a",
    "inverter_max_discharge_a",
    "low_alarm_v",
    "low_cut_v",
    "low_restart_v",
    "charge_start_pct",
    "low_alarm_pct",
    "low_cut_pct",
    "low_restart_pct",
)

OF_THE_BANK = (
    "charging.max_charge_a",
    "charging.tail_a",
    "link.inverter_max_charge_a",
    "link.inverter_max_discharge_a",
)
OF_A_PACK = (
    "protection.charge_over_current.alarm_a",
    "protection.charge_over_current.trip_a",
    "protection.discharge_over_current.alarm_a",
    "protection.discharge_over_current.trip_a",
    "protection.short_circuit.trip_a",
)

# how a BMS may show a quantity: factor and offset from the setup's own unit, and digits
UNITS: dict[str, dict[str, tuple[float, float, int]]] = {
    "V": {"V": (1.0, 0.0, 3), "mV": (1e3, 0.0, 0), "10 mV": (1e2, 0.0, 0)},
    "mV": {"mV": (1.0, 0.0, 0), "V": (1e-3, 0.0, 3)},
    "A": {"A": (1.0, 0.0, 2), "0.1 A": (10.0, 0.0, 0), "mA": (1e3, 0.0, 0)},
    "Ah": {"Ah": (1.0, 0.0, 1), "0.1 Ah": (10.0, 0.0, 0), "mAh": (1e3, 0.0, 0)},
    "°C": {
        "°C": (1.0, 0.0, 1),
        "K": (1.0, 273.15, 1),
        "0.1 K": (10.0, 2731.5, 0),
        "°F": (1.8, 32.0, 1),
    },
    "s": {"s": (1.0, 0.0, 1), "ms": (1e3, 0.0, 0), "min": (1 / 60.0, 0.0, 1)},
    "min": {"min": (1.0, 0.0, 1), "s": (60.0, 0.0, 0), "h": (1 / 60.0, 0.0, 2)},
    "µs": {"µs": (1.0, 0.0, 0), "ms": (1e-3, 0.0, 3)},
    "days": {"days": (1.0, 0.0, 1)},
    "mV/K": {"mV/K": (1.0, 0.0, 1)},
}


class Item(BaseModel):
    """A line of a menu: which setting, what the BMS calls it, in which unit it shows it."""

    model_config = ConfigDict(frozen=True, extra="forbid", strict=True)

    path: str = Field(max_length=200)
    label: str = Field(default="", max_length=200)
    unit: str = Field(default="", max_length=20)


class OwnLine(BaseModel):
    """A line of the user's own that no setting stands for: a calibration, the time to sleep, the
    correction of a lead's resistance.
    """

    model_config = ConfigDict(frozen=True, extra="forbid", strict=True)

    label: str = Field(min_length=1, max_length=200)
    value: str = Field(min_length=1, max_length=100)


OWN, OWN_SECTION = "own.", "Your own lines"  # of their paths, and on the sheet


class Menu(BaseModel):
    """The order in which a BMS asks for its settings, and lines of the user's own after them."""

    model_config = ConfigDict(frozen=True, extra="forbid", strict=True)

    format: Literal["nipper-menu"] = "nipper-menu"
    version: Literal[1] = 1
    name: str = Field(default="plain order", max_length=200)
    items: list[Item] = Field(max_length=500)
    own: list[OwnLine] = Field(default_factory=list, max_length=100)


class Line(BaseModel):
    """A line of the sheet: what to type, and what stood there before."""

    model_config = ConfigDict(frozen=True)

    path: str
    section: str
    label: str
    unit: str
    value: str
    before: str
    also: str = ""  # the same for one battery, or for the whole bank: devices ask either

    @property
    def changed(self) -> bool:
        """Whether it is another value than before."""
        return self.value != self.before


def plain_menu() -> Menu:
    """The menu that ships: chemistry and cells first, then the protections, the balancer, the
    charger, as in the setup file.
    """
    return Menu(items=[Item(path=path) for path, _, _ in _settings()])


# a table has no single value; how it is wired, and what it takes by its sheet, is no setting
NOT_TYPED = ("rates", "joins", "idle_a")


def _settings() -> Iterator[tuple[str, str, str]]:
    """Path, section and title of every setting that is typed into a BMS or a charger."""
    for name in PACK:
        yield name, "Pack", Setup.model_fields[name].title or name
    for name, info in Protection.model_fields.items():
        part = next(
            (
                a
                for a in (info.annotation, *get_args(info.annotation))
                if isinstance(a, type) and issubclass(a, Part)
            ),
            None,
        )
        if part is None:
            yield f"protection.{name}", "References", info.title or name
            continue
        for field, inner in part.model_fields.items():
            yield f"protection.{name}.{field}", info.title or name, inner.title or field
    for part_name, model, section in (
        ("balancer", Balancer, "Balancer"),
        ("separate_balancer", SeparateBalancer, "Separate balancer"),
        ("charging", Charging, "Charger"),
    ):
        for field, inner in model.model_fields.items():
            if field not in NOT_TYPED:
                yield f"{part_name}.{field}", section, inner.title or field
    for field in INVERTER:
        yield f"link.{field}", "Inverter", Link.model_fields[field].title or field


TITLES = {path: (section, title) for path, section, title in _settings()}


def units_of(path: str) -> list[str]:
    """In which units a setting can be shown; empty where it has none."""
    return list(UNITS.get(unit_of(path), {}))


def shown(path: str, value: object, unit: str = "") -> str:
    """A value as the BMS shows it, with its unit; a dash where the setting is left out."""
    if value is None:
        return "–"
    if isinstance(value, str | bool) or not isinstance(value, int | float):
        return str(value).replace("_", " ")
    own = unit_of(path)
    known = UNITS.get(own, {})
    unit = unit if unit in known else own
    if unit not in known:
        return f"{value:g} {unit}".strip()
    factor, offset, digits = known[unit]
    text = f"{value * factor + offset:.{digits}f}"
    if "." in text:
        whole, _, part = text.partition(".")
        part = part.rstrip("0")
        if unit == "V":
            part = part.ljust(2, "0")
        text = f"{whole}.{part}" if part else whole
    return f"{text} {unit}".replace("-", "−")


def sheet(setup: Setup, before: Setup | None, menu: Menu) -> list[Line]:
    """The lines to type, in the menu's order; settings the setup leaves out are skipped unless they
    were set before.

    Settings the menu does not name follow at its end: nothing is forgotten.
    """
    named = [item for item in menu.items if item.path in TITLES]
    rest = [Item(path=path) for path in TITLES if path not in {item.path for item in named}]
    out: list[Line] = []
    for item in [*named, *rest]:
        value, old = get(setup, item.path), get(before, item.path) if before else None
        if value is None and old is None:
            continue
        section, title = TITLES[item.path]
        unit = item.unit if item.unit in units_of(item.path) else ""
        out.append(
            Line(
                path=item.path,
                section=section,
                label=item.label or title,
                unit=unit or unit_of(item.path),
                value=shown(item.path, value, unit),
                before=shown(item.path, old, unit) if before else "–",
                also=_also(setup, item.path, value, unit),
            )
        )
    return out


def own_lines(menu: Menu) -> list[Line]:
    """The lines of the user's own; each is typed in when it is ticked with its value."""
    return [
        Line(path=f"{OWN}{line.label}", section=OWN_SECTION, label=line.label, unit="",
             value=line.value, before="–")
        for line in menu.own
    ]  # fmt: skip


def with_own(menu: Menu, label: str, value: str) -> Menu:
    """The menu with a line of one's own; one of that label gets another value.

    Raises
    ------
    RangeError
        No label, no value, or more than fits.
    """
    label, value = label.strip(), value.strip()
    if not label or not value:
        raise RangeError("expected what your BMS calls it, and the value to type")
    kept = [line for line in menu.own if line.label != label]
    try:
        line = OwnLine(label=label, value=value)
        return Menu(name=menu.name, items=menu.items, own=[*kept, line])
    except ValidationError:
        raise RangeError("expected 200 characters at most, and 100 lines") from None


def without_own(menu: Menu, label: str) -> Menu:
    """The menu without that line."""
    return menu.model_copy(update={"own": [line for line in menu.own if line.label != label]})


def _also(setup: Setup, path: str, value: object, unit: str) -> str:
    """In a bank of several packs: what a device types that asks for the other of the two."""
    if setup.bank_ah <= setup.capacity_ah or not isinstance(value, int | float):
        return ""
    share = setup.capacity_ah / setup.bank_ah
    if path in OF_THE_BANK:
        return f"whole bank; one battery: {shown(path, round(value * share, 2), unit)}"
    if path == "capacity_ah":
        return f"one battery; whole bank: {shown(path, round(value / share, 2), unit)}"
    return "one battery" if path in OF_A_PACK else ""


def differences(one: Setup, other: Setup) -> list[Line]:
    """What differs between two setups: value is the second's, before the first's."""
    return [line for line in sheet(other, one, plain_menu()) if line.changed]


def to_csv(lines: Sequence[Line]) -> str:
    """The sheet as CSV (UTF-8, comma, header)."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(["section", "setting", "value", "before", "path", "of"])
    writer.writerows(
        [line.section, line.label, line.value, line.before, line.path, line.also] for line in lines
    )
    return out.getvalue()


def to_html(lines: Sequence[Line], title: str) -> str:
    """The sheet as a page for printing, with a box to tick on each line."""
    from html import escape

    rows = "".join(
        f"<tr><td>☐</td><td>{escape(line.section)}</td><td>{escape(line.label)}"
        f"{f'<br><small>{escape(line.also)}</small>' if line.also else ''}</td><td "
        f"align='right'><b>{escape(line.value)}</b></td>"
        f"<td align='right'>{escape(line.before) if line.changed else ''}</td></tr>"
        for line in lines
    )
    head = (
        "<tr><th></th><th align='left'>section</th><th align='left'>setting</th><th "
        "align='right'>type</th><th align='right'>was</th></tr>"
    )
    return f"<h2>{escape(title)}</h2><table cellpadding='4' width='100%'>{head}{rows}</table>"


def dumps_menu(menu: Menu) -> str:
    """A menu as its JSON file."""
    return json.dumps(menu.model_dump(), indent=2, ensure_ascii=False) + "\n"


def load_menu(path: str | Path) -> Menu:
    """Read a menu file.

    Raises
    ------
    InputError
        Names the place of what is wrong, also of a setting that does not exist.
    """
    return parse_menu(parse_json(read_text(path), str(path)), str(path))


def parse_menu(document: object, file: str = "menu") -> Menu:
    """Check a menu document."""
    menu = checked(Menu, document, file)
    for i, item in enumerate(menu.items):
        if item.path not in TITLES:
            raise InputError(
                file,
                f"items.{i}.path",
                f"the path of a setting that is typed in, {item.path!r} is none",
            )
        if item.unit and item.unit not in units_of(item.path):
            raise InputError(
                file, f"items.{i}.unit", f"one of {', '.join(units_of(item.path)) or 'none'}"
            )
    return menu
