"""Rehearsals and levelling forecasts of the open bench: asked, run off the window's thread, kept while it is open."""

from collections.abc import Callable, Mapping
from dataclasses import replace
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal, Slot

from nipper.app.document import Document
from nipper.app.jobs import Latest
from nipper.core.setup import Setup

AIR_C = {
    "midsummer": 18.0,
    "March": 10.0,
    "midwinter": 9.0,
}  # mean over the year around the pack, so that the season's own wave gives its days

if TYPE_CHECKING:
    from nipper.core.forecast.autonomy import Autonomy
    from nipper.core.forecast.day import Day
    from nipper.core.forecast.levelling import Levelling
    from nipper.core.forecast.rehearsal import Rehearsal
    from nipper.core.forecast.twin import Known, Plan
    from nipper.core.imbalance.compare import Compared, Happening
    from nipper.core.imbalance.estimate import Estimate
    from nipper.core.logs.model import Log
    from nipper.core.simulate.scenario import Event
    from nipper.core.simulate.trial import Trial


def rehearse_work(
    setup: Setup,
    known: "Mapping[int, Known]",
    plan: "Plan",
    other: tuple[str, Setup] | None,
    tick: Callable[[float], None],
) -> "Rehearsal":
    """Run in a worker thread; the compiler, if it is needed, in a process of its own."""
    from nipper.core.simulate.compiled import make_ready

    make_ready()
    from nipper.core.forecast.rehearsal import rehearse

    return rehearse(setup, known, plan, other, tick)


def level_work(
    setup: Setup,
    known: "Mapping[int, Known]",
    pack: int,
    plan: "Plan",
    tick: Callable[[float], None],
) -> "Levelling":
    """Run in a worker thread."""
    from nipper.core.simulate.compiled import make_ready

    make_ready()
    from nipper.core.forecast.levelling import levelling

    return levelling(setup, known, pack, plan, tick)


def day_work(
    setup: Setup, known: "Mapping[int, Known]", pack: int, season: str, weather: str
) -> "tuple[Day, Autonomy]":
    """Run in a worker thread."""
    from nipper.core.simulate.compiled import make_ready

    make_ready()
    from nipper.core.forecast.autonomy import autonomy
    from nipper.core.forecast.day import charge_day

    return charge_day(setup, known, pack, season, weather, AIR_C[season]), autonomy(setup, known)


def closer_work(rehearsal: "Rehearsal", time_s: float, half_s: float) -> "Trial":
    """Run in a worker thread."""
    from nipper.core.forecast.rehearsal import closer

    return closer(rehearsal, time_s, half_s)


def compare_work(
    packs: "Mapping[int, tuple[Log, Estimate]]", happenings: "list[Happening]", setup: Setup
) -> "Compared":
    """Run in a worker thread."""
    from nipper.core.imbalance.compare import compare_all

    return compare_all(packs, happenings, setup)


class Forecasts(QObject):
    """What the simulator says about the open bench. Once asked for, an answer is asked anew whenever the settings change."""

    rehearsed = Signal(object)  # Rehearsal
    looked_closer = Signal(object)  # Trial
    levelled = Signal(object)  # Levelling
    compared = Signal(object)  # Compared
    day_drawn = Signal(object)  # Day
    progressed = Signal(float)
    plan_changed = Signal(object)  # Plan

    def __init__(self, document: Document, parent: QObject | None = None) -> None:
        super().__init__(parent)
        from nipper.core.forecast.twin import Plan

        self.document = document
        self.plan = Plan()
        self.other: tuple[str, Setup] | None = None
        self.rehearsal: Rehearsal | None = None
        self.levelling: Levelling | None = None
        self.comparison: Compared | None = None
        self.day: Day | None = None
        self.budget: Autonomy | None = None
        self.day_of = ("midsummer", "clear")  # season and weather
        self._wanted: set[str] = set()
        self._rehearse, self._level, self._closer = (
            Latest(rehearse_work, self, ticks=True),
            Latest(level_work, self, ticks=True),
            Latest(closer_work, self),
        )
        self._compare, self._day = Latest(compare_work, self), Latest(day_work, self)
        self._day.answered.connect(self._day_came)
        self._compare.answered.connect(self._compared)
        self._compare.failed.connect(document.trouble)
        self._rehearse.answered.connect(self._rehearsed)
        self._rehearse.progressed.connect(self.progressed)
        self._level.answered.connect(self._levelled)
        self._closer.answered.connect(self.looked_closer)
        for latest in (self._rehearse, self._level, self._closer, self._day):
            latest.failed.connect(document.trouble)
        document.setup_changed.connect(self._setup_changed)
        document.record_changed.connect(self._setup_changed)
        document.record_changed.connect(self._ask_comparison)
        document.events_changed.connect(self._ask_comparison)
        document.pack_changed.connect(self._pack_changed)

    @property
    def busy(self) -> bool:
        """Whether an answer is still to come."""
        return (
            self._rehearse.busy
            or self._level.busy
            or self._closer.busy
            or self._compare.busy
            or self._day.busy
        )

    @property
    def rehearsing(self) -> bool:
        """Whether a rehearsal is running."""
        return self._rehearse.busy

    @property
    def known(self) -> "dict[int, Known]":
        """What is measured of each pack, by its number in the bank."""
        from nipper.core.forecast.twin import Known

        records = self.document.records
        return {
            i: Known(r.log, r.diagnosis.estimate)
            for i, p in enumerate(self.document.packs, 1)
            if (r := records.get(p.id)) is not None
        }

    @property
    def pack_number(self) -> int:
        """The shown pack's number in the bank."""
        return 1 + next(
            i for i, p in enumerate(self.document.packs) if p.id == self.document.pack.id
        )

    # rehearsals

    def want(self, which: str) -> None:
        """From now on keep ``rehearsal``, ``levelling``, ``comparison`` or ``day`` current."""
        if which not in self._wanted:
            self._wanted.add(which)
            self._ask(which)
            self._ask_comparison()

    def change_plan(self, **changes: object) -> None:
        """Other days, another sky, other loads; what was stepped in goes when the days or the sky change."""
        if {"days", "weather", "start", "seed"} & set(changes):
            changes.setdefault("events", ())
        self.plan = replace(self.plan, **changes)
        self.plan_changed.emit(self.plan)
        self._ask("rehearsal")

    def step_in(self, event: "Event") -> None:
        """Let something happen at a moment of the rehearsal."""
        self.change_plan(events=(*self.plan.events, event))

    def put_beside(self, name: str, setup: Setup | None) -> None:
        """Run other settings under the same sky; None takes them away."""
        self.other = None if setup is None else (name, setup)
        self._ask("rehearsal")

    def look_closer(self, time_s: float, half_s: float = 300.0) -> None:
        """Run the minutes around a moment again, second by second."""
        if self.rehearsal is not None:
            self._closer.ask(self.rehearsal, time_s, half_s)

    def _ask(self, which: str) -> None:
        if (
            which not in self._wanted
            or which == "comparison"
            or self.document.setup.packs_in_parallel > len(self.document.packs)
        ):
            return
        if which == "rehearsal":
            self._rehearse.ask(self.document.setup, self.known, self.plan, self.other)
        elif which == "day":
            self._day.ask(self.document.setup, self.known, self.pack_number, *self.day_of)
        else:
            self._level.ask(
                self.document.setup,
                self.known,
                self.pack_number,
                replace(self.plan, weather="mixed", events=()),
            )

    @Slot()
    def _ask_comparison(self) -> None:
        if "comparison" not in self._wanted or self.document.reading_any:
            return
        from nipper.core.imbalance.compare import Happening

        document = self.document
        packs = {
            p.id: (r.log, r.diagnosis.estimate)
            for p in document.packs
            if (r := document.records.get(p.id)) is not None
        }
        happenings = [Happening(e.time_s, e.pack, e.kind, e.note) for e in document.events()]
        if packs:
            self._compare.ask(packs, happenings, document.setup)

    @Slot(object)
    def _compared(self, comparison: "Compared") -> None:
        self.comparison = comparison
        self.compared.emit(comparison)

    @Slot()
    def _setup_changed(self) -> None:
        for which in sorted(self._wanted):
            self._ask(which)

    @Slot()
    def _pack_changed(self) -> None:
        if self.rehearsal is not None:  # all packs were run: another one is shown
            self.rehearsed.emit(self.rehearsal)
        for which in sorted(self._wanted & {"levelling", "day"}):
            self._ask(which)

    def change_day(self, season: str, weather: str) -> None:
        """Draw the charge of another day."""
        self.day_of = (season, weather)
        self._ask("day")

    @Slot(object)
    def _day_came(self, answer: "tuple[Day, Autonomy]") -> None:
        self.day, self.budget = answer
        self.day_drawn.emit(self.day)

    @Slot(object)
    def _rehearsed(self, rehearsal: "Rehearsal") -> None:
        self.rehearsal = rehearsal
        self.rehearsed.emit(rehearsal)

    @Slot(object)
    def _levelled(self, levelling: "Levelling") -> None:
        self.levelling = levelling
        self.levelled.emit(levelling)
