"""How a table was read, as the diagnosis reports it: never a guess in silence."""

from dataclasses import dataclass

from nipper.core.logs.doubt import Doubt
from nipper.core.logs.mapping import ColumnMapping
from nipper.core.logs.timeforms import DATELESS, TIME_FORMS, WORDS

UNITS = {1.0: "V", 1e-3: "mV", 1e-4: "0.1 mV", 1e-2: "10 mV", 0.1: "0.1 V"}
AMPERES = {1.0: "A", 1e-3: "mA", 0.1: "0.1 A", 1e-2: "10 mA"}


@dataclass(frozen=True, slots=True)
class Reading:
    """One file: rows that came in, through which mapping, what was left out, what is in doubt."""

    file: str
    rows: int
    mapping: ColumnMapping
    dropped: tuple[tuple[int, str], ...] = ()
    doubts: tuple[Doubt, ...] = ()
    told: tuple[str, ...] = ()
    part: str = ""

    def to_json(self) -> dict[str, object]:
        """As the headless contract has it."""
        m = self.mapping
        out: dict[str, object] = {"file": self.file, "rows": self.rows}
        if self.part:
            out["table"] = self.part
        return out | {
            "columns": _columns(m),
            "time_zone": None if m.time_form in DATELESS else m.zone,
            "time_form": WORDS.get(m.time_form, TIME_FORMS[m.time_form]),
            "current_positive": _positive(m),
            "units": _units(m),
            "dropped": [{"rows": rows, "why": why} for rows, why in self.dropped],
            "doubts": [str(d) for d in self.doubts],
            "told": list(self.told),
        }


def _columns(m: ColumnMapping) -> dict[str, object]:
    out: dict[str, object] = {"time": [m.time, m.second_time] if m.second_time else m.time}
    if m.current:
        beside = [c for c in (m.discharge, m.direction) if c]
        out["current"] = [m.current, *beside] if beside else m.current
    for name, column in (("pack", m.pack), ("soc", m.soc)):
        if column:
            out[name] = column
    out["cells"] = list(m.cells)
    for name, columns in (("temperatures", m.temps), ("other_temperatures", m.other_temps)):
        if columns:
            out[name] = list(columns)
    if m.balancing or m.balancing_cells:
        out["balancing"] = m.balancing or list(m.balancing_cells)
    return out


def _positive(m: ColumnMapping) -> str | None:
    if m.current is None:
        return None
    if m.discharge or m.direction:
        return "by column"
    return "discharging" if m.current_scale < 0 else "charging"


def _units(m: ColumnMapping) -> dict[str, str]:
    out = {"cells": UNITS.get(m.cell_scale, f"{m.cell_scale:g} V")}
    if m.current:
        scale = abs(m.current_scale)
        amperes = AMPERES.get(scale, f"{scale:g} A")
        out["current"] = amperes.replace("A", "W") if m.power else amperes
    if m.pack:
        out["pack"] = UNITS.get(m.pack_scale, f"{m.pack_scale:g} V")
    if m.temps:
        unit = {"C": "°C", "F": "°F", "K": "K"}[m.temp_unit]
        out["temperatures"] = unit if m.temp_scale == 1.0 else f"{m.temp_scale:g} {unit}"
    return out
