"""Which column of a stranger's table is what: proposed from names and contents, confirmed by the
user, remembered by shape.
"""

import hashlib
import re
from collections import defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass, replace
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from nipper.core.logs.sensors import of_cells
from nipper.core.logs.times import TimeForm, guess_time_form

Floats = NDArray[np.floating]
SAMPLE_ROWS = 2000  # rows looked at before proposing

TIME_NAMES = re.compile(
    r"time|date|stamp|zeit|datum|fecha|hora|heure|\bts\b|clock|epoch|unix", re.I
)
CURRENT_NAMES = re.compile(
    r"curr|strom|amp|courant|corriente|^i[ _]?(a|ma|pack|bat\w*)?$|(^|[ _(\[])m?a[)\]]?$", re.I
)
PACK_NAMES = re.compile(
    r"pack|total|sum|batt?|string|bank|^(volt|voltage|spannung|tension|u|v)\b", re.I
)
TEMP_NAMES = re.compile(r"temp|ntc|°|^t[ _]?\d*$|sensor", re.I)
SOC_NAMES = re.compile(r"\bsoc|state.?of.?charge|ladestand|charge.?pct|soc_", re.I)
BALANCING_NAMES = re.compile(r"balanc|bleed|ausgleich|equali[sz]", re.I)
MILLI = re.compile(r"(^|[ _(\[])m(v|a)([)\] _]|$)", re.I)
FAHRENHEIT = re.compile(r"°\s*f|[ _(\[]f[)\]]?$|fahrenheit", re.I)


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
    current: str | None = None
    current_scale: float = 1.0
    pack: str | None = None
    pack_scale: float = 1.0
    cell_scale: float = 1.0
    temps: tuple[str, ...] = ()  # on cells
    other_temps: tuple[str, ...] = ()  # of switches, air or board: not read
    temp_unit: Literal["C", "F"] = "C"
    soc: str | None = None
    soc_scale: float = 1.0
    balancing: str | None = None

    def to_json(self) -> dict[str, object]:
        """A plain JSON object; :meth:`from_json` gives the same mapping back."""
        return asdict(self)

    @classmethod
    def from_json(cls, document: Mapping[str, object]) -> "ColumnMapping":
        """The mapping of :meth:`to_json`."""
        known = {name: document[name] for name in cls.__slots__ if name in document}
        for name in ("cells", "temps", "other_temps"):
            known[name] = tuple(known.get(name, ()))  # pyright: ignore[reportArgumentType] - JSON has lists only
        return cls(**known)  # pyright: ignore[reportArgumentType]


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


def propose(
    columns: Mapping[str, Sequence[str | None]], numbers: Mapping[str, Floats], zone: str = "UTC"
) -> ColumnMapping | None:
    """Find the columns by name and by what stands in them.

    Parameters
    ----------
    columns : text of each column's first rows, by column name
    numbers : the same rows as numbers, float64, NaN where there is none
    zone : IANA name for times without an offset

    Returns
    -------
    ColumnMapping or None
        None when no time or no set of cell voltages can be made out.
    """
    time = _find_time(columns, numbers)
    cells, cell_scale = _find_cells(numbers)
    if time is None or not cells:
        return None
    name, second, form = time
    rest = [c for c in columns if c not in {name, second, *cells}]
    mapping = ColumnMapping(
        time=name, second_time=second, time_form=form, zone=zone, cells=cells, cell_scale=cell_scale
    )
    summed = np.sum([numbers[c] for c in cells], axis=0) * cell_scale

    balancing = next((c for c in rest if BALANCING_NAMES.search(c)), None)
    rest = [c for c in rest if c != balancing]
    pack, pack_scale = _find_pack(rest, numbers, summed)
    rest = [c for c in rest if c != pack]
    current = next(
        (c for c in rest if CURRENT_NAMES.search(c) and np.isfinite(numbers[c]).any()), None
    )
    rest = [c for c in rest if c != current]
    soc = next((c for c in rest if SOC_NAMES.search(c) and _within(numbers[c], 0, 110)), None)
    warmth = [c for c in rest if c != soc and TEMP_NAMES.search(c)]
    temps, others = of_cells([c for c in warmth if _within(numbers[c], -60, 250)])
    mapping = replace(
        mapping,
        pack=pack,
        pack_scale=pack_scale,
        balancing=balancing,
        soc=soc,
        soc_scale=100.0
        if soc and _within(numbers[soc], 0, 1.0) and np.nanmax(numbers[soc]) <= 1.0
        else 1.0,
        temps=temps,
        other_temps=others,
        temp_unit="F" if any(FAHRENHEIT.search(c) for c in temps) else "C",
    )
    if current is None:
        return mapping
    scale = 1e-3 if MILLI.search(current) or np.nanmax(np.abs(numbers[current])) > 5000 else 1.0
    return replace(
        mapping,
        current=current,
        current_scale=scale * (-1.0 if current_sign(numbers[current], summed) < 0 else 1.0),
    )


def current_sign(current: Floats, voltage: Floats) -> int:
    """+1 when charging is counted positive, -1 when discharging is, 0 when it cannot be told.

    Two witnesses: resistance makes the voltage follow every large step of current, and between the
    steps the voltage creeps up while charging and down while discharging. Each is a mean against
    its own scatter; together they must stand clear of chance.
    """
    step_a, step_v = np.diff(current), np.diff(voltage)
    good = np.isfinite(step_a) & np.isfinite(step_v)
    step_a, step_v, amps = step_a[good], step_v[good], current[1:][good]
    if step_a.size < 8 or not np.any(amps):
        return 0
    large = (np.abs(step_a) >= 0.25 * np.abs(step_a).max()) & (step_a != 0)
    calm = (
        np.clip(step_v[~large], *np.quantile(step_v[~large], [0.02, 0.98]))
        if np.any(~large)
        else np.zeros(1)
    )
    follows = np.sign(step_a[large]) * step_v[large]
    creeps = np.sign(amps[~large]) * calm if np.any(~large) else calm
    score = _against_chance(follows, float(np.std(calm))) + _against_chance(creeps, 0.0)
    return 0 if abs(score) < 4.0 else int(np.sign(score))


def _against_chance(values: Floats, least_sd: float) -> float:
    """Mean over its standard error; 0 for nothing."""
    if values.size == 0:
        return 0.0
    sd = max(float(np.std(values)), least_sd, 1e-9)
    return float(np.mean(values)) / sd * float(np.sqrt(values.size))


def _find_time(
    columns: Mapping[str, Sequence[str | None]], numbers: Mapping[str, Floats]
) -> tuple[str, str | None, TimeForm] | None:
    named = [c for c in columns if TIME_NAMES.search(c)]
    for name in [*named, *(c for c in columns if c not in named)]:
        form = guess_time_form(columns[name])
        if form:
            return name, None, form
    for name in named:  # a date here, a time of day there
        for other in named:
            both = [
                f"{a} {b}" if a and b else None
                for a, b in zip(columns[name], columns[other], strict=True)
            ]
            form = guess_time_form(both) if other != name else None
            if form:
                return name, other, form
    return None


def _find_cells(numbers: Mapping[str, Floats]) -> tuple[tuple[str, ...], float]:
    """The largest family of columns that differ only in a running number and hold cell voltages."""
    families: dict[tuple[str, str], list[tuple[int, str]]] = defaultdict(list)
    for name in numbers:
        for match in re.finditer(r"\d+", name):
            families[name[: match.start()].lower(), name[match.end() :].lower()].append(
                (int(match.group()), name)
            )
    best: tuple[tuple[str, ...], float] = ((), 1.0)
    for members in families.values():
        names = tuple(name for _, name in sorted(members))
        for scale in (1.0, 1e-3, 1e-4):
            if len(names) > max(2, len(best[0])) and all(
                _within(numbers[n] * scale, 1.0, 5.0, share=0.9) for n in names
            ):
                best = (names, scale)
    return best


def _find_pack(
    names: Sequence[str], numbers: Mapping[str, Floats], summed: Floats
) -> tuple[str | None, float]:
    named = [n for n in names if PACK_NAMES.search(n)]
    for name in [*named, *(n for n in names if n not in named)]:
        for scale in (1.0, 1e-3, 1e-2, 0.1):
            with np.errstate(invalid="ignore", divide="ignore"):
                ratio = (
                    np.nanmedian(numbers[name] * scale / summed)
                    if np.isfinite(numbers[name]).any()
                    else np.nan
                )
            if abs(ratio - 1.0) < 0.03:
                return name, scale
    return None, 1.0


def _within(values: Floats, low: float, high: float, share: float = 0.98) -> bool:
    finite = values[np.isfinite(values)]
    return finite.size > 0 and float(np.mean((finite >= low) & (finite <= high))) >= share
