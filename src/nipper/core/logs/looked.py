"""What was looked at in a pack: a cell by a meter beside the BMS, and where a sensor lies."""

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, replace
from operator import itemgetter
from typing import Annotated, Literal, TypeVar

import numpy as np
from pydantic import AwareDatetime, BaseModel, ConfigDict, Field, ValidationError

from nipper.core.errors import RangeError
from nipper.core.logs import builds
from nipper.core.logs.model import Log

CELL, SENSOR = "cell-measured", "sensor-elsewhere"  # kinds of bench events
# to where the log reached when something was noted, by its own clock, which may be years off
LogEnd = Annotated[float | None, Field(allow_inf_nan=False)]
MOST_V, MOST_CELLS, MOST_SENSORS, MOST_WORDS = 10.0, 200, 64, 60

Volts = Annotated[float, Field(ge=-MOST_V, le=MOST_V, allow_inf_nan=False)]


class CellMeasured(BaseModel):
    """What the BMS showed of a cell (from 1), and a meter at its own terminals at that moment."""

    model_config = ConfigDict(frozen=True, extra="ignore", defer_build=True)

    cell: Annotated[int, Field(ge=1, le=MOST_CELLS)]
    bms_v: Volts
    meter_v: Volts
    log_s: LogEnd = None

    @property
    def words(self) -> str:
        """What was found, in words."""
        return (
            f"cell {self.cell} measured: {self.meter_v:.3f} V by the meter, {self.bms_v:.3f} V "
            "by the BMS"
        )


class SensorElsewhere(BaseModel):
    """A sensor (from 1) that does not lie on the cells: its warmth is not theirs."""

    model_config = ConfigDict(frozen=True, extra="ignore", defer_build=True)

    sensor: Annotated[int, Field(ge=1, le=MOST_SENSORS)]
    where: str = Field(default="", max_length=MOST_WORDS)

    @property
    def words(self) -> str:
        """Where it lies, in words."""
        place = f": {self.where}" if self.where else ""
        return f"sensor {self.sensor} does not lie on the cells{place}"


class DatedCell(CellMeasured):
    """A cell with the moment, of a file."""

    model_config = ConfigDict(frozen=True, extra="forbid", defer_build=True)

    time: AwareDatetime


class PlacedSensor(SensorElsewhere):
    """A sensor of a file."""

    model_config = ConfigDict(frozen=True, extra="forbid", defer_build=True)


class LookedFile(BaseModel):
    """What was looked at in a pack, as a small open file (docs/diagnosis.md)."""

    model_config = ConfigDict(frozen=True, extra="forbid", defer_build=True)

    format: Literal["nipper-looked"]
    version: Literal[1] = 1
    cells: tuple[DatedCell, ...] = Field(default=(), max_length=MOST_CELLS)
    sensors: tuple[PlacedSensor, ...] = Field(default=(), max_length=MOST_SENSORS)

    @property
    def looked(self) -> "Looked":
        """The same, as a diagnosis takes it."""
        return Looked(
            tuple(sorted(((one.time.timestamp(), one) for one in self.cells), key=itemgetter(0))),
            tuple(sorted({one.sensor for one in self.sensors})),
        )


M = TypeVar("M", CellMeasured, SensorElsewhere)


@dataclass(frozen=True, slots=True)
class Looked:
    """What was looked at in one pack: cells with the moment, Unix s, and sensors (from 1)."""

    cells: tuple[tuple[float, CellMeasured], ...] = ()
    sensors: tuple[int, ...] = ()


NOTHING = Looked()


def parse(kind: str, note: str) -> CellMeasured | SensorElsewhere | None:
    """What was found, from an event's note; None where it is another's or cannot be read."""
    models = {CELL: CellMeasured, SENSOR: SensorElsewhere}
    try:
        return models[kind].model_validate_json(note) if kind in models else None
    except ValidationError:
        return None


def kept(events: Sequence[tuple[float, int | None, str, str]], pack: int) -> Looked:
    """What was looked at in a pack, from events (time_s, pack, kind, note); cells only as they
    have been counted since the last one left.
    """
    counted_s = max((at for at, _ in builds.kept(events, pack)), default=-np.inf)
    mine = [(at, kind, note) for at, of, kind, note in events if of == pack]
    return Looked(
        tuple(
            (at if one.log_s is None else one.log_s, one)
            for at, one in _of(CellMeasured, mine)
            if at >= counted_s
        ),
        tuple(sorted({one.sensor for _, one in _of(SensorElsewhere, mine)})),
    )


def _of(model: type[M], events: Iterable[tuple[float, str, str]]) -> Iterator[tuple[float, M]]:
    for at, kind, note in sorted(events):
        one = parse(kind, note)
        if isinstance(one, model):
            yield at, one


def measured_cell(cell: int, bms_v: float | None, meter_v: float | None) -> CellMeasured:
    """A cell (from 1) as typed; :class:`RangeError` where a number is missing, or none can be
    meant.
    """
    if bms_v is None or meter_v is None:
        raise RangeError("Both are needed: what the BMS shows and what the meter shows, in V.")
    for volts in (bms_v, meter_v):
        if not -MOST_V <= volts <= MOST_V:
            raise RangeError(f"{volts:g} V: expected a cell's voltage, {-MOST_V:g} to {MOST_V:g} V")
    return CellMeasured(cell=cell, bms_v=bms_v, meter_v=meter_v)


def sensor_elsewhere(sensor: int, where: str) -> SensorElsewhere:
    """A sensor (from 1) and where it lies, as typed; :class:`RangeError` where nothing is said."""
    words = " ".join(where.split())[:MOST_WORDS]
    if not words:
        raise RangeError("Where does it lie? For instance on the switch, or in the air.")
    return SensorElsewhere(sensor=sensor, where=words)


def without_sensors(log: Log, looked: Looked) -> Log:
    """A log without what sensors elsewhere tell; the others keep their numbers."""
    elsewhere = [n - 1 for n in looked.sensors if n <= log.temp_c.shape[1]]
    if not elsewhere:
        return log
    temp_c = log.temp_c.copy()
    temp_c[:, elsewhere] = np.nan
    some = bool(np.isfinite(temp_c).any())
    return replace(log, temp_c=temp_c if some else temp_c[:, :0])
