"""What a stranger's table says, judged from all of it together: times, cells, pack, current and the
rest, each with the reason; what it cannot settle is a doubt or a refusal, never a guess in silence.
"""

from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np

from nipper.core.errors import ChoiceError, InputError
from nipper.core.logs import words
from nipper.core.logs.begins import begun
from nipper.core.logs.clockface import Clock, Zone, find_clock
from nipper.core.logs.column import Column, Floats, columns_of
from nipper.core.logs.doubt import Doubt
from nipper.core.logs.families import (
    Family,
    agrees,
    alike,
    find_families,
    joined,
    tokens_of,
    with_silent,
    without_last,
)
from nipper.core.logs.flow import Flow, find_flow
from nipper.core.logs.mapping import ColumnMapping, plain_mapping
from nipper.core.logs.minor import find_balancing, find_soc, find_temperatures
from nipper.core.logs.shapes import hold_s_of, match_pack, shaped
from nipper.core.logs.signs import Witness
from nipper.core.logs.suspects import suspicions
from nipper.core.tables.table import Table

LEAST_MIDDLE_V = 1.8  # titanate, the lowest, works between 1.8 and 2.8 V: common practice
SPARSE = 0.7  # a cell that is written in fewer of the rows is written on change
MOST_HELD_S = 3600.0  # where whole rows go on being written, a blank is a value that stood
LEAST_BLANK = 0.1  # fewer blank cells are readings that failed
FEW_STEPS = 100
WHOLE_CELLS = 0.1  # of a cell: so near is a pack's voltage to that of whole cells
LEAST_TOGETHER = 20  # rows that tell whether a column runs with the cells
STRAY_V, WILD_V = 0.2, 1000.0
REPEATED = 0.05  # of the values: a log that is written on change repeats none, but about gaps


@dataclass(frozen=True, slots=True)
class Options:
    """What the user, or the setup, says about a table beforehand."""

    zone: str | None = None  # IANA name, for times without an offset
    otherwise_zone: str = "UTC"  # where neither that nor the table says one; told as a doubt
    day_first: bool | None = None
    discharge_positive: bool | None = None
    pack: str | None = None
    part: str | None = None  # the sheet, the member of an archive, the table of a database
    mapping: ColumnMapping | None = None
    cells: int | None = None  # as the setup has them
    capacity_ah: float | None = None


@dataclass(frozen=True, slots=True)
class Proposal:
    """A table brought into shape and how to read it: ``why`` by column, what is doubtful."""

    table: Table
    mapping: ColumnMapping
    why: dict[str, str] = field(default_factory=dict[str, str])
    doubts: tuple[Doubt, ...] = ()
    told: tuple[str, ...] = ()  # what was done, not in doubt


def propose(table: Table, options: Options = Options()) -> Proposal:
    """How to read a table.

    Raises
    ------
    InputError
        Times or cells cannot be made out, or it holds several packs: says what was found, what is
        missing, and which option settles it.
    """
    plain = plain_mapping(table.columns)
    if plain is not None:
        return Proposal(table, plain)
    table, told = shaped(table, options.pack)
    columns = columns_of(table)
    zone = Zone(options.zone, options.otherwise_zone)
    clock = find_clock(columns, table.notes, zone, options.day_first)
    families = find_families([c for c in columns if clock is None or c.name != clock.time])
    if clock is None or not families:
        raise _refusal(table, columns, clock, families)
    if not _rises(clock.time_s):
        columns = [replace(c, texts=c.texts.reverse(), numbers=c.numbers[::-1]) for c in columns]
        clock.time_s = clock.time_s[::-1]
    columns, hold_s = _held(columns, families, clock)
    rest = [c for c in columns if c.name not in (clock.time, clock.second)]
    families = find_families(rest)
    if not families:
        raise _refusal(table, rest, clock, families)
    family, rest, words_ = _one_string(table, rest, alike(families), options)
    found = _Found(family, clock, list(told) + words_)
    found.take_dead(options)
    found.take_silent(rest, options)
    family = found.family
    rest = [c for c in rest if c.name not in family.names and c.name not in family.unused]
    rest = found.take_pack(rest)
    return found.proposal(table, rest, options, hold_s)


def _rises(time_s: Floats) -> bool:
    """Whether the oldest row stands first."""
    return float(np.nansum(np.sign(np.diff(time_s)))) >= 0


def _refusal(
    table: Table, columns: Sequence[Column], clock: Clock | None, families: Sequence[Family]
) -> InputError:
    """What was found and what is missing."""
    seen = ", ".join(c.name for c in columns[:6]) + (" …" if len(columns) > 6 else "")
    missing: list[str] = []
    if clock is None:
        missing.append("a time column")
    if not families:
        missing.append("at least three numbered cell voltage columns")
    got = f"; found the time in {clock.time!r}" if clock else ""
    if families:
        got = f"; found the cells {families[0].names[0]!r} …"
    where = f"sheet {table.part}, the header" if table.part else "the header"
    expected = f"{' and '.join(missing)}{got} among the columns {seen}"
    return InputError(table.file, where, expected, "--map MAP.json")


def _held(
    columns: list[Column], families: Sequence[Family], clock: Clock
) -> tuple[list[Column], float]:
    """Rows on change: each value stands until the next one, for a while."""
    cells = families[0].columns
    filled = np.array([np.isfinite(c.numbers) for c in cells]).T
    written = float(np.median(filled.mean(axis=0)))
    often = written >= SPARSE
    if filled.shape[0] < 4:
        return columns, 0.0
    if often and not _never_twice(np.array([c.numbers for c in cells]).T):
        return columns, 0.0
    order = np.argsort(clock.time_s, kind="stable")
    hold_s = MOST_HELD_S if often else hold_s_of(filled[order], clock.time_s[order])
    rising = bool(np.all(np.diff(order[: min(50, order.size)]) > 0))
    return [replace(c, numbers=_forward(c.numbers, rising)) for c in columns], hold_s


def _never_twice(cells: Floats) -> bool:
    """Whether cells are blank where they stood still: no value is written twice running, and as
    many steps are of one digit as values are left out. Where readings fail by chance neither is.
    """
    cells = cells[np.isfinite(cells).any(axis=1)]
    runs = [column[np.isfinite(column)] for column in cells.T]
    steps = np.abs(np.concatenate([np.diff(run) for run in runs]))
    blank = 1.0 - sum(run.size for run in runs) / max(cells.size, 1)
    if blank < LEAST_BLANK or steps.size < FEW_STEPS or np.mean(steps == 0.0) > REPEATED:
        return False
    digit = float(np.min(steps[steps > 0], initial=np.inf))
    return float(np.mean(steps < 1.5 * digit)) > 0.5 * blank


def _forward(values: Floats, rising: bool) -> Floats:
    """The last value that was written, row by row."""
    line = values if rising else values[::-1]
    at = np.where(np.isfinite(line), np.arange(line.size), 0)
    held = line[np.maximum.accumulate(at)]
    return held if rising else held[::-1]


def _one_string(
    table: Table, columns: list[Column], same: list[Family], options: Options
) -> tuple[Family, list[Column], list[str]]:
    """The cells of one string, and the columns that can belong to it."""
    if len(same) == 1:
        return same[0], columns, []
    whole = joined(same)
    count = len(whole.columns)
    others = [c for c in columns if c.numeric and c.name not in whole.names]
    modules = any(agrees(c, whole.sum_v()) for c in others if c.quantity in ("", "V"))
    alike = len({family.scale for family in same}) == 1
    if alike and (modules or options.cells == count):
        return whole, columns, [f"{len(same)} modules of one string, {count} cells in all"]
    tokens = tokens_of(same)
    chosen = match_pack(options.pack, tokens) if options.pack else None
    if chosen is None and options.pack:
        chosen = match_pack(options.pack, [f.label for f in same])
        chosen = tokens[[f.label for f in same].index(chosen)] if chosen else None
    if chosen is None:
        names = ", ".join(tokens[:8])
        text = f"one pack, it holds {len(same)} sets of {len(same[0].columns)} cells beside each"
        raise ChoiceError(table.file, "the header", f"{text} other: {names}", "--pack", tokens)
    family = same[tokens.index(chosen)]
    kept = _of_pack(columns, same, tokens.index(chosen), tokens)
    return family, kept, [f"only pack {chosen} of {len(same)} beside each other"]


def _of_pack(
    columns: Sequence[Column], same: Sequence[Family], at: int, tokens: Sequence[str]
) -> list[Column]:
    """The columns of one of several packs: its own, and those that name none."""
    phrases = [_phrase(f, t) for f, t in zip(same, tokens, strict=True)]
    taken = {n for i, f in enumerate(same) if i != at for n in f.names}
    out: list[Column] = []
    for column in columns:
        if column.name in taken:
            continue
        of = [i for i, p in enumerate(phrases) if p and _names(column.plain, p)]
        if at in of or not of:
            out.append(column)
    own = phrases[at]
    return sorted(out, key=lambda c: not (own and _names(c.plain, own)))


def _phrase(family: Family, token: str) -> str:
    """The words that name a pack in its headings: the token with the word before it."""
    for part in family.key:
        words_ = part.split()
        if token.split()[0] in words_:
            i = words_.index(token.split()[0])
            before = words_[i - 1 : i] if i and not words.CELL.search(words_[i - 1]) else []
            return " ".join([*before, token])
    return ""


def _names(heading: str, phrase: str) -> bool:
    return f" {phrase} " in f" {heading} "


@dataclass(slots=True)
class _Found:
    """What has been made out so far."""

    family: Family
    clock: Clock
    told: list[str]
    doubts: list[Doubt] = field(default_factory=list[Doubt])
    why: dict[str, str] = field(default_factory=dict[str, str])
    pack: Column | None = None
    pack_scale: float = 1.0

    def take_dead(self, options: Options) -> None:
        """Cells that read what no sound one does: behind as many sound ones as the setup has they
        are slots that hang in the air; elsewhere it may be a cell, and is told.
        """
        family, dead = self.family, self.family.dead
        if not dead:
            return
        more = len(family.columns) - (options.cells or len(family.columns))
        if 0 < more <= len(dead) and set(family.names[-more:]) <= set(dead):
            self.family = without_last(family, more)
            self.told.append(f"{', '.join(family.names[-more:])}: slots behind the last cell")
            return
        self.doubts.append(Doubt(f"{', '.join(dead)}: reads what no sound cell does: is it one?"))

    def take_silent(self, columns: list[Column], options: Options) -> None:
        """Cells that hold nothing: so many as the setup has more, or the pack's voltage."""
        family = self.family
        by_pack = self._count_by_pack(columns)
        whole = with_silent(family, options.cells or by_pack)
        if whole is not None:
            names = [c.name for c in whole.columns if c.name not in family.names]
            self.family = whole
            self.doubts.append(Doubt(f"{', '.join(names)}: a cell of which nothing is read"))
            if by_pack == len(family.columns):
                text = f"the pack's voltage is that of {by_pack} cells: has it so many?"
                self.doubts.append(Doubt(text))
            return
        first, last = (*family.numbers[:1], *family.numbers[-1:]) or (0, 0)
        inside = [column.name for number, column in family.silent if first < number < last]
        if inside:
            names = ", ".join(inside[:6])
            text = f"{names}: nothing is held, between cells: is it one that is not read?"
            self.doubts.append(Doubt(text))

    def _count_by_pack(self, columns: list[Column]) -> int:
        """How many cells the pack's voltage is of; 0 where it does not tell."""
        count, total = len(self.family.columns), self.family.sum_v()
        likely = [c for c in columns if c.numeric and _may_be_pack(c) and _pack_likely(c) >= 3.0]
        for column in sorted(likely, key=_pack_likely, reverse=True)[:1]:
            cells = count * _times(column, total)
            if abs(cells - round(cells)) < WHOLE_CELLS:
                return round(cells)
        return 0

    def take_pack(self, columns: list[Column]) -> list[Column]:
        """The pack's voltage: the column that is the sum of the cells."""
        total = self.family.sum_v()
        volts = [c for c in columns if c.numeric and c.quantity in ("", "V") and _may_be_pack(c)]
        volts.sort(key=_pack_likely, reverse=True)
        for column in volts:
            scale = agrees(column, total) if len(self.family.columns) > 1 else None
            if scale is not None:
                self.pack, self.pack_scale = column, scale
                return [c for c in columns if c is not column]
        named = [c for c in volts if _pack_likely(c) >= 3.0]
        if named and len(self.family.columns) > 1:
            self._doubt_pack(named[0], total)
        return columns

    def _doubt_pack(self, column: Column, total: Floats) -> None:
        ratio, count = _times(column, total), len(self.family.columns)
        if not ratio:
            return
        text = f"{column.name} is {ratio:.3g} times the sum of the {count} cells"
        more = round(ratio * count) - count
        if 0 < more <= count and abs(ratio * count - count - more) < WHOLE_CELLS:
            text += f": as if {more} more were in the string than the table holds"
        self.doubts.append(Doubt(f"{text}; the sum is taken"))

    def proposal(
        self, table: Table, rest: list[Column], options: Options, hold_s: float
    ) -> Proposal:
        """Everything else, and the mapping."""
        cells = self.family.volts()
        soc = find_soc(rest)
        rest = [c for c in rest if soc is None or c is not soc[0]]
        warmth = find_temperatures([c for c in rest if c.quantity not in ("A", "V", "W")])
        balance = find_balancing(rest, cells.shape[1], cells)
        used = {*warmth.fields.get("temps", ()), *warmth.fields.get("other_temps", ())}
        used |= {balance.fields.get("balancing", "")}
        with np.errstate(invalid="ignore"):
            mean = _row_mean(cells)
        percent = None if soc is None else soc[0].numbers * soc[1]
        witness = Witness(mean, percent, self.clock.time_s)
        flow = find_flow(
            [c for c in rest if c.name not in used],
            witness,
            options.discharge_positive,
            options.capacity_ah,
        )
        fields: dict[str, Any] = {**warmth.fields, **balance.fields, **flow.fields}
        if soc is not None:
            fields |= {"soc": soc[0].name, "soc_scale": soc[1]}
        if self.pack is not None:
            fields |= {"pack": self.pack.name, "pack_scale": self.pack_scale}
        mapping = ColumnMapping(
            time=self.clock.time,
            second_time=self.clock.second,
            time_form=self.clock.form,
            zone=self.clock.zone,
            cells=self.family.names,
            cell_scale=self.family.scale,
            hold_s=hold_s,
            **fields,
        )
        self._tell(flow, hold_s, options)
        told_of = {*used, *flow.fields.values()}
        self._tell_strays([c for c in rest if c.name not in told_of])
        doubts = [*self.clock.doubts, *self.doubts, *flow.doubts, *warmth.doubts, *balance.doubts]
        why = reasons(mapping) | ({mapping.current: flow.why} if mapping.current else {})
        return Proposal(table, begun(table, mapping), why, tuple(doubts), tuple(self.told))

    def _tell(self, flow: Flow, hold_s: float, options: Options) -> None:
        family = self.family
        if family.unused:
            self.told.append(f"{len(family.unused)} slots for cells hold nothing and are left out")
        first = family.columns[0]
        if any(first.says(kind) for kind in (words.STATISTIC, words.LIMIT, words.ELSEWHERE)):
            text = f"{first.name} …: by their headings these are not the cells as read"
            self.doubts.append(Doubt(text))
        if first.quantity == "V" and family.scale < first.factor:  # else a point for thousands
            text = f"{first.name} …: the numbers fit no such unit, but cells times {family.scale:g}"
            self.doubts.append(Doubt(text, "--map"))
        middle = float(np.nanmedian(family.volts()))
        if middle < LEAST_MIDDLE_V:
            text = (
                f"{first.name} …: at {middle:.2f} V no lithium cell works; is something taken off?"
            )
            self.doubts.append(Doubt(text))
        self.doubts += suspicions(family)
        if family.gaps:
            missing = ", ".join(map(str, family.gaps[:6]))
            self.doubts.append(Doubt(f"the columns of the cells leave out number {missing}"))
        if family.key == ("column", ""):
            text = "the table has no headings: cells are told by their voltages alone"
            self.doubts.append(Doubt(text))
        if hold_s:
            text = f"written on change: a value stands for at most {hold_s / 60:.0f} min"
            self.told.append(text)
        if not flow.fields and not flow.doubts:
            self.doubts.append(Doubt("there is no current"))

    def _tell_strays(self, rest: list[Column]) -> None:
        """Columns that run with the cells and are taken for nothing: one more cell, maybe."""
        middle = self.family.sum_v() / len(self.family.columns)
        cells = [c.numbers for c in self.family.columns]
        known = [*cells, np.fmax.reduce(cells), np.fmin.reduce(cells)]
        strays = [
            c.name
            for c in rest
            if c.quantity in ("", "V")
            and not any(c.says(kind) for kind in (words.STATISTIC, words.LIMIT, words.ELSEWHERE))
            and _runs_with(c.numbers * self.family.scale, middle)
            and not any(_same(c.numbers, other) for other in known)
        ]
        if strays and len(cells) > 1:
            text = f"{', '.join(strays[:4])}: runs with the cells, taken for none: is it one more?"
            self.doubts.append(Doubt(text, "--map"))


def _same(one: Floats, other: Floats) -> bool:
    return bool(np.array_equal(one, other, equal_nan=True))


def _runs_with(volts: Floats, middle: Floats) -> bool:
    """Whether a column stands where the cells stand, and moves when they do."""
    both = np.isfinite(volts) & np.isfinite(middle)
    if both.sum() < LEAST_TOGETHER:
        return False
    one, other = np.clip(volts[both], 0.0, WILD_V), middle[both]
    if float(np.median(np.abs(one - other))) > STRAY_V or not (np.ptp(one) and np.ptp(other)):
        return False
    return float(np.corrcoef(one, other)[0, 1]) > 0.5


def _times(column: Column, total: Floats) -> float:
    """How many times a sum of cells a column is; 0 where the two never stand together."""
    with np.errstate(invalid="ignore", divide="ignore"):
        ratios = column.numbers * column.factor / total
    ratios = ratios[np.isfinite(ratios)]
    return float(np.median(ratios)) if ratios.size else 0.0


def _may_be_pack(column: Column) -> bool:
    """Not where the heading says something else: 14 °C stand near the sum of four cells too."""
    others = (words.TEMPERATURE, words.SOC, words.HEALTH, words.CURRENT, words.POWER)
    return column.quantity == "V" or not any(column.says(kind) for kind in others)


def _pack_likely(column: Column) -> float:
    score = 2.0 * column.says(words.PACK) + 1.5 * column.says(words.VOLTAGE)
    score += 1.0 * (column.quantity == "V")
    score -= 3.0 * (column.says(words.STATISTIC) or column.says(words.LIMIT))
    return score - 3.0 * column.says(words.ELSEWHERE)


def _row_mean(cells: Floats) -> Floats:
    """Mean of the cells of each row; NaN where none is read."""
    count = np.isfinite(cells).sum(axis=1)
    total = np.nansum(cells, axis=1)
    return np.where(count > 0, total / np.maximum(count, 1), np.nan)


def reasons(mapping: ColumnMapping) -> dict[str, str]:
    """For each column, in a few words, what it was taken for."""
    out = {mapping.time: "time", **{c: f"cell {i}" for i, c in enumerate(mapping.cells, 1)}}
    out |= dict.fromkeys(mapping.temps, "temperature of cells")
    out |= dict.fromkeys(mapping.other_temps, "temperature of something else")
    out |= {c: f"cell {i} balanced" for i, c in enumerate(mapping.balancing_cells, 1)}
    for column, words_ in (
        (mapping.second_time, "time of day"),
        (mapping.current, "current"),
        (mapping.discharge, "discharging current"),
        (mapping.direction, "direction of the current"),
        (mapping.pack, "pack voltage: the sum of the cells"),
        (mapping.soc, "percentage"),
        (mapping.balancing, "cells being balanced"),
    ):
        if column:
            out[column] = words_
    return out
