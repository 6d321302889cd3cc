"""A live watch of one pack: what a device tells now, kept row by row; when the absorption began;
and whether half an hour of it brought the cells nearer. Afterwards it is an ordinary log.
"""

import math
import time
from collections.abc import Callable, Iterator
from contextlib import ExitStack
from dataclasses import dataclass, field, replace

import numpy as np

from nipper.core.link import points
from nipper.core.link.ask import ask
from nipper.core.link.expect import absorption_v
from nipper.core.link.modbus import ModbusDevice, StandInDevice
from nipper.core.link.pull import kept, pull_log
from nipper.core.link.registers import LinkError
from nipper.core.link.replay import SPEED, Replay
from nipper.core.logs.model import Log
from nipper.core.setup import Setup

AT_TARGET = 0.995  # of the target: two displays differ by so much
DRAWN_C = 0.005  # of the capacity: more than this out of the pack is no absorption
SETTLED_C = 0.05  # of the capacity an hour: the tail of a charge, common practice
COMPARED_S = 1800.0  # after so long the deviation is compared: common practice
MOST_ROWS = 500_000  # six days, a row a second
NAP_S = 0.1
NAN = float("nan")


@dataclass(frozen=True, slots=True)
class Sample:
    """One reading of a pack; NaN for what is not told."""

    time_s: float
    cells: tuple[float, ...]
    pack_v: float = NAN
    current_a: float = NAN
    soc_pct: float = NAN
    temp_c: float = NAN


@dataclass(frozen=True, slots=True)
class Missed:
    """A reading that did not come, and why."""

    why: str


@dataclass(frozen=True, slots=True)
class Mark:
    """Something that was done or seen meanwhile."""

    time_s: float
    note: str


@dataclass(frozen=True, slots=True)
class Now:
    """The newest reading, as the large numbers say it. Cells are numbered from 1."""

    sample: Sample
    deviation_mv: float
    highest: int
    lowest: int
    absorption_min: float | None  # None: not in absorption


@dataclass(frozen=True, slots=True)
class Source:
    """Where the readings come from.

    ``stand_in`` holds what a stand-in plays, None for the device at ``place``. ``turned``: the
    device counts what flows out as positive.
    """

    place: str
    device_id: int
    profile: points.Registers
    every_s: float
    stand_in: Replay | None = None
    turned: bool = False


def samples(source: Source, stopped: Callable[[], bool]) -> Iterator[Sample | Missed]:
    """A reading every so many seconds until it is stopped; one that fails is told, and the next is
    tried.

    Raises
    ------
    LinkError
        Nothing answers at the very first.
    """
    with ExitStack() as stack:
        place, clock = source.place, time.time
        if source.stand_in is not None:
            device, clock = _stand_in(source, source.stand_in)
            place = stack.enter_context(device).place
        line = ModbusDevice(place, source.device_id)
        stack.callback(line.close)
        yield _sample(ask(line, source.profile), clock(), source.turned)
        while not _stopped_within(source.every_s, stopped):
            try:
                yield _sample(ask(line, source.profile), clock(), source.turned)
            except LinkError as error:
                yield Missed(str(error))


def played(replay: Replay, from_s: float, minutes: float) -> Iterator[Sample]:
    """What a stand-in would tell over so many minutes, a reading a minute, without a line."""
    for minute in range(int(minutes) + 1):
        now_s = 60.0 * minute / SPEED
        values = replay(now_s)
        told = points.Told(values, cells=replay.cells(now_s))
        yield _sample(told, from_s + 60.0 * minute)


def pull(
    source: Source, log: Log | None, tick: Callable[[float], None] = lambda _share: None
) -> Log:
    """The log that the device keeps; a stand-in keeps the last day of ``log``.

    Raises
    ------
    LinkError
        The profile tells no log, or the device none that can be read.
    """
    block = source.profile.log
    if block is None:
        raise LinkError(f"{source.profile.title}: this profile tells no log")
    with ExitStack() as stack:
        place = source.place
        if source.stand_in is not None:
            if log is None:
                raise LinkError("the stand-in keeps what the record holds: there is no log yet")
            device = StandInDevice(kept(log, block), source.device_id)
            place = stack.enter_context(device).place
        line = ModbusDevice(place, source.device_id)
        stack.callback(line.close)
        log = pull_log(line, block, tick)
        return replace(log, current_a=-log.current_a) if source.turned else log


def _stopped_within(seconds: float, stopped: Callable[[], bool]) -> bool:
    """Wait, in naps, so that a stop is heard at once."""
    until = time.monotonic() + seconds
    while not stopped():
        left = until - time.monotonic()
        if left <= 0:
            return False
        time.sleep(min(NAP_S, left))
    return True


def _stand_in(source: Source, replay: Replay) -> tuple[StandInDevice, Callable[[], float]]:
    """A device that plays a log, a minute a second, and its clock."""
    began, wall_s = time.monotonic(), time.time()

    def registers() -> dict[int, int]:
        now_s = time.monotonic() - began
        return points.write(source.profile, replay(now_s), replay.cells(now_s))

    def clock() -> float:
        return wall_s + SPEED * (time.monotonic() - began)

    return StandInDevice({}, source.device_id, registers), clock


def _sample(told: points.Told, time_s: float, turned: bool = False) -> Sample:
    values = told.values
    cells = told.cells
    if not cells and {"highest_cell_v", "lowest_cell_v"} <= set(values):
        cells = (values["highest_cell_v"], values["lowest_cell_v"])
    return Sample(
        time_s,
        cells,
        values.get("pack_v", NAN),
        (-1.0 if turned else 1.0) * values.get("current_a", NAN),
        values.get("soc_pct", NAN),
        values.get("temperature_c", NAN),
    )


@dataclass
class Watch:
    """All readings of a watch, and what was noted."""

    setup: Setup
    rows: list[Sample] = field(default_factory=list[Sample])
    marks: list[Mark] = field(default_factory=list[Mark])
    apart_mv: list[float] = field(default_factory=list[float])  # of each row
    _absorbed_from: int | None = None

    def add(self, sample: Sample) -> str:
        """Take a reading; what speaks against it is told, and it is left out."""
        if np.isfinite(sample.cells).sum() < 2:
            return "no two cells can be read: does this profile tell them?"
        if len(sample.cells) not in (2, self.setup.cells):
            return f"{len(sample.cells)} cells are told, this pack has {self.setup.cells}"
        if self.rows and sample.time_s <= self.rows[-1].time_s:
            return "the clock went back"
        if self.rows and len(sample.cells) != len(self.rows[-1].cells):
            return f"{len(sample.cells)} cells are told, {len(self.rows[-1].cells)} were before"
        if len(self.rows) >= MOST_ROWS:
            return "this watch is as long as it may be: keep it, and begin another"
        self.rows.append(sample)
        self.apart_mv.append(1e3 * float(np.nanmax(sample.cells) - np.nanmin(sample.cells)))
        if not self._absorbs(sample):
            self._absorbed_from = None
        elif self._absorbed_from is None:
            self._absorbed_from = len(self.rows) - 1
        return ""

    def mark(self, note: str) -> None:
        """Note something at the moment of the newest reading."""
        if self.rows and note.strip():
            self.marks.append(Mark(self.rows[-1].time_s, note.strip()[:200]))

    def _absorbs(self, sample: Sample) -> bool:
        """Whether a charger holds its target, also once hardly anything flows in any more; at rest
        the volts fall below within minutes.
        """
        volts = sample.pack_v if math.isfinite(sample.pack_v) else _sum(self.setup, sample)
        drawn = sample.current_a < -DRAWN_C * self.setup.capacity_ah
        return volts >= AT_TARGET * absorption_v(self.setup) and not drawn

    @property
    def now(self) -> Now | None:
        """The newest reading; None before the first."""
        if not self.rows:
            return None
        newest = self.rows[-1]
        cells = np.array(newest.cells)
        high, low = int(np.nanargmax(cells)), int(np.nanargmin(cells))
        since = None
        if self._absorbed_from is not None:
            since = (newest.time_s - self.rows[self._absorbed_from].time_s) / 60.0
        return Now(newest, self.apart_mv[-1], high + 1, low + 1, since)

    @property
    def settled(self) -> Sample | None:
        """The first reading of the absorption at which the current has fallen: from there on the
        deviation is of charge, and can be compared.
        """
        if self._absorbed_from is None:
            return None
        most_a = SETTLED_C * self.setup.capacity_ah
        rows = self.rows[self._absorbed_from :]
        return next((r for r in rows if not abs(r.current_a) > most_a), None)

    @property
    def compared(self) -> tuple[Sample, Sample] | None:
        """The settled reading and the first one half an hour on; None until then."""
        first = self.settled
        if first is None:
            return None
        rows = self.rows[self._absorbed_from :]
        found = next((r for r in rows if r.time_s - first.time_s >= COMPARED_S), None)
        return None if found is None else (first, found)

    @property
    def has_cells(self) -> bool:
        """Whether the device tells every cell."""
        return bool(self.rows) and len(self.rows[0].cells) == self.setup.cells

    def newest(self) -> Log:
        """The newest reading as a log of one row."""
        return as_log(self.rows[-1:])

    def log(self) -> Log | None:
        """The watch as a log; None where the device told no cell by itself."""
        return as_log(self.rows) if self.has_cells else None


def as_log(rows: list[Sample]) -> Log:
    """Readings as a log of their pack."""
    cells = np.array([r.cells for r in rows], np.float32)
    told = np.array([(r.time_s, r.current_a, r.pack_v, r.temp_c, r.soc_pct) for r in rows])
    summed = np.nansum(cells, axis=1, dtype=np.float64)
    return Log(
        time_s=told[:, 0],
        current_a=told[:, 1],
        pack_v=np.where(np.isfinite(told[:, 2]), told[:, 2], summed),
        cell_v=cells,
        temp_c=told[:, 3:4].astype(np.float32),
        soc_pct=told[:, 4].astype(np.float32),
    )


def _sum(setup: Setup, sample: Sample) -> float:
    """The pack's voltage from its cells, or from its highest and lowest."""
    return float(np.nanmean(sample.cells)) * setup.cells
