"""Rehearsals and levelling forecasts of the open bench: asked, run off the window's thread, kept
while it is open.
"""

from collections.abc import Callable, Mapping
from dataclasses import replace
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal, Slot

from nipper.app.document import Document
from nipper.app.jobs import Answer
from nipper.core.forecast.plan import Known, Plan
from nipper.core.setup import Setup

# mean over the year around the pack, so that the season's own wave gives its days
AIR_C = {"midsummer": 18.0, "March": 10.0, "midwinter": 9.0}

if TYPE_CHECKING:
    from nipper.core.forecast.autonomy import Autonomy
    from nipper.core.forecast.day import Day
    from nipper.core.forecast.levelling import Levelling
    from nipper.core.forecast.rehearsal import Rehearsal
    from nipper.core.imbalance.compare import Compared, Happening, Recorded
    from nipper.core.simulate.scenario import Event
    from nipper.core.simulate.trial import Trial


def rehearse_work(
    setup: Setup,
    known: Mapping[int, Known],
    plan: Plan,
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
    known: Mapping[int, Known],
    pack: int,
    plan: Plan,
    tick: Callable[[float], None],
) -> "Levelling":
    """Run in a worker thread."""
    from nipper.core.simulate.compiled import make_ready

    make_ready()
    from nipper.core.forecast.levelling import levelling

    return levelling(setup, known, pack, plan, tick)


def day_work(
    setup: Setup, known: Mapping[int, Known], pack: int, season: str, weather: str
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
    packs: "Mapping[int, Recorded]", happenings: "list[Happening]", bank: Setup
) -> "Compared":
    """Run in a worker thread."""
    from nipper.core.imbalance.compare import compare_all

    return compare_all(packs, happenings, bank)


class Forecasts(QObject):
    """What the simulator says about the open bench; each answer is kept current once wanted."""

    plan_changed = Signal(object)  # Plan

    def __init__(self, document: Document, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.document = document
        self.plan = Plan()
        self.other: tuple[str, Setup] | None = None
        self.day_of = ("midsummer", "clear")  # season and weather
        self.rehearsal: Answer[Rehearsal] = Answer(rehearse_work, self._rehearsal, self, ticks=True)
        self.levelling: Answer[Levelling] = Answer(level_work, self._levelling, self, ticks=True)
        self.comparison: Answer[Compared] = Answer(compare_work, self._comparison, self)
        self.day: Answer[tuple[Day, Autonomy]] = Answer(day_work, self._day, self)
        self.closer: Answer[Trial] = Answer(closer_work, lambda: None, self)
        self._simulated = (self.rehearsal, self.levelling, self.day)
        for answer in (*self._simulated, self.comparison, self.closer):
            answer.failed.connect(document.trouble)
        document.settings.changed.connect(self._ask_simulated)
        document.records.changed.connect(self._ask_simulated)
        document.records.changed.connect(self.comparison.ask)
        document.history.events_changed.connect(self.comparison.ask)
        document.pack_changed.connect(self._pack_changed)

    @property
    def busy(self) -> bool:
        """Whether an answer is still to come."""
        return any(a.busy for a in (*self._simulated, self.comparison, self.closer))

    @property
    def drawn_day(self) -> "Day | None":
        """The day of charge that was asked for last."""
        return self.day.value[0] if self.day.value else None

    @property
    def budget(self) -> "Autonomy | None":
        """The energy budget, made together with the day."""
        return self.day.value[1] if self.day.value else None

    @property
    def known(self) -> dict[int, Known]:
        """What is measured of each pack, by its number in the bank."""
        records = self.document.records
        return {
            i: Known(r.log, r.diagnosis.now)
            for i, p in enumerate(records.packs, 1)
            if (r := records.by_pack.get(p.id)) is not None
        }

    @property
    def pack_number(self) -> int:
        """The shown pack's number in the bank."""
        ids = [p.id for p in self.document.records.packs]
        return 1 + ids.index(self.document.pack.id)

    # what the user asks

    def change_plan(self, **changes: object) -> None:
        """Other days, another sky, other loads.

        What was stepped in goes when the days or the sky change.
        """
        if {"days", "weather", "start", "seed"} & set(changes):
            changes.setdefault("events", ())
        self.plan = replace(self.plan, **changes)
        self.plan_changed.emit(self.plan)
        self.rehearsal.ask()

    def step_in(self, event: "Event") -> None:
        """Let something happen at a moment of the rehearsal."""
        self.change_plan(events=(*self.plan.events, event))

    def put_beside(self, name: str, setup: Setup | None) -> None:
        """Run other settings under the same sky; None takes them away."""
        self.other = None if setup is None else (name, setup)
        self.rehearsal.ask()

    def look_closer(self, time_s: float, half_s: float = 300.0) -> None:
        """Run the minutes around a moment again, second by second."""
        if self.rehearsal.value is not None:
            self.closer.put(self.rehearsal.value, time_s, half_s)

    def change_day(self, season: str, weather: str) -> None:
        """Draw the charge of another day."""
        self.day_of = (season, weather)
        self.day.ask()

    # the questions; None while one cannot be put

    @property
    def _complete(self) -> bool:
        """Whether the bench has all packs the settings speak of: new ones come when they are
        kept.
        """
        return self.document.setup.packs_in_parallel <= len(self.document.records.packs)

    def _rehearsal(self) -> tuple[object, ...] | None:
        if not self._complete:
            return None
        return self.document.bank, self.known, self.plan, self.other

    def _levelling(self) -> tuple[object, ...] | None:
        if not self._complete:
            return None
        plan = replace(self.plan, weather="mixed", events=())
        return self.document.setup, self.known, self.pack_number, plan

    def _day(self) -> tuple[object, ...] | None:
        if not self._complete:
            return None
        return self.document.bank, self.known, self.pack_number, *self.day_of

    def _comparison(self) -> tuple[object, ...] | None:
        from nipper.core.imbalance.compare import Happening, Recorded
        from nipper.core.imbalance.swap import parse
        from nipper.core.report.events import event_words

        document, records = self.document, self.document.records
        judged = {p.id: records.by_pack.get(p.id) for p in records.packs}
        packs = {
            i: Recorded(
                r.log, r.diagnosis.estimate, document.setup_of(r.pack), records.snapshots(r.pack)
            )
            for i, r in judged.items()
            if r is not None and not r.diagnosis.unfit
        }
        if records.busy or not packs:
            return None
        happenings = [
            Happening(at, pack, kind, event_words(kind, note), parse(note))
            for at, pack, kind, note in document.history.raw_events()
        ]
        return packs, happenings, document.bank

    @Slot()
    def _ask_simulated(self) -> None:
        for answer in self._simulated:
            answer.ask()

    @Slot()
    def _pack_changed(self) -> None:
        """All packs were rehearsed, and another one is shown; level and day are of one pack."""
        self.rehearsal.repeat()
        self.levelling.ask()
        self.day.ask()
