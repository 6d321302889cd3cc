"""What is due and why: from what happened, not from the calendar alone.

A duty's day comes from the last time it was done, from what was measured, or from the season; its
worth orders a weekend's work.
"""

from collections.abc import Iterator
from dataclasses import dataclass, field
from datetime import datetime, timedelta, tzinfo
from enum import StrEnum
from math import isfinite

from nipper.core.setup import Setup

DAY_S = 86400.0
FULL_EVERY_DAYS = 30.0  # a full charge: monthly, common practice
LOG_EVERY_DAYS = 30.0
CASE_LOG_DAYS = 14.0  # with an open case: two weeks
YEAR_DAYS = 365.0
FIRST_TORQUE_DAYS = 30.0  # after a joint was first tightened: common practice
APART_PCT = 1.0  # of capacity: the charge between cells at which one levels, common practice
COLD_MONTH, COLD_DAY = 10, 1  # the cold proof before the first frost; six months off in the south
SOUTH_MONTH = 4
COUNTS_AHEAD_DAYS = 75  # a proof so shortly before the frost is that autumn's


class Duty(StrEnum):
    """What can be due."""

    SETTINGS = "settings"
    REMEDY = "remedy"
    CHARGER_BACK = "charger back"
    FULL = "full charge"
    EQUALISE = "equalise"
    COLD = "cold proof"
    TORQUE = "torque"
    LOG = "log"
    CAPACITY = "capacity test"
    READ_BACK = "read back"
    LINK_LOSS = "link loss"
    TRIPS = "trip counters"


EVERY_DAYS = {
    Duty.FULL: FULL_EVERY_DAYS, Duty.LOG: LOG_EVERY_DAYS, Duty.CAPACITY: YEAR_DAYS,
    Duty.COLD: YEAR_DAYS, Duty.TORQUE: YEAR_DAYS, Duty.TRIPS: 90.0,
}  # fmt: skip
MOST_TIMES = 60  # of one duty in a year's strip


@dataclass(frozen=True, slots=True)
class Due:
    """One duty: when, Unix seconds; why; how long it takes, minutes at hand and hours waiting;
    with what; how much it is worth (1 to 10); where in the application.
    """

    duty: Duty
    title: str
    due_s: float
    why: str
    minutes: float
    tools: str = ""
    waits_h: float = 0.0
    worth: int = 5
    stage: str = ""
    every_days: float | None = None  # as measured or set; None: as usual for its kind

    def times_s(self, now_s: float, until_s: float) -> list[float]:
        """When it falls from now on, Unix seconds: first when it is due, then again and again."""
        every = self.every_days or EVERY_DAYS.get(self.duty)
        at = max(self.due_s, now_s)
        out = [at]
        while every and len(out) < MOST_TIMES and (at := at + every * DAY_S) <= until_s:
            out.append(at)
        return [t for t in out if t <= until_s]

    def days_from(self, now_s: float) -> float:
        """Days until it is due; below 0 it is over."""
        return (self.due_s - now_s) / DAY_S


@dataclass(frozen=True, slots=True)
class Facts:
    """What is known of the bank, times in Unix seconds; None where it never happened.

    ``apart_ah`` is the charge between fullest and emptiest cell at the last full charge,
    ``drifts_ah_per_day`` what it grows by and ``levels_ah_per_day`` what the balancer moves;
    ``remedies`` are what the diagnosis asks for, most serious first.
    """

    now_s: float
    zone: tzinfo
    last_log_s: float | None = None
    last_full_s: float | None = None
    last_equalise_s: float | None = None
    last_cold_s: float | None = None
    last_torque_s: float | None = None
    torques: int = 0
    last_capacity_s: float | None = None
    last_typed_s: float | None = None
    last_read_back_s: float | None = None
    last_loss_s: float | None = None
    last_trips_s: float | None = None
    loss_proven: bool = False
    cold_is_of_cutoff: bool = True
    apart_ah: float | None = None
    drifts_ah_per_day: float | None = None
    levels_ah_per_day: float | None = None
    errors: int = 0
    charger_to_set_back: bool = False
    latitude_deg: float | None = None
    remedies: tuple[str, ...] = field(default=())


def due(setup: Setup, facts: Facts) -> list[Due]:
    """Everything that is or will be due, soonest first; of what is due now the most worth first."""
    found = [*_at_once(setup, facts), *_by_what_happened(setup, facts), *_by_season(setup, facts)]
    now = facts.now_s
    return sorted(found, key=lambda d: (max(d.due_s, now), -d.worth))


def _at_once(setup: Setup, facts: Facts) -> Iterator[Due]:
    now = facts.now_s
    if facts.errors:
        several = "contradictions" if facts.errors > 1 else "contradiction"
        yield Due(Duty.SETTINGS, f"Mend {facts.errors} {several} of the settings", now,
                  "Protect says which, why, and to what.", 10.0 * facts.errors,
                  "the BMS's app or panel", worth=10, stage="protect")  # fmt: skip
    if facts.charger_to_set_back:
        yield Due(Duty.CHARGER_BACK, "Set the charger back", now,
                  "It is still set for a top balance.", 5.0, worth=9, stage="record")  # fmt: skip
    for i, words in enumerate(facts.remedies):
        yield Due(Duty.REMEDY, words, now, "The diagnosis asks for it.", 30.0,
                  "bench supply or resistor, meter", worth=8 if i == 0 else 7,
                  stage="diagnose")  # fmt: skip
    typed, read = facts.last_typed_s, facts.last_read_back_s
    if typed is not None and (read is None or read < typed):
        yield Due(Duty.READ_BACK, "Read the settings back", typed,
                  "Typed in and never read back: a slip of a digit shows only there.", 20.0,
                  "the BMS's app or panel", worth=7)  # fmt: skip
    closed = setup.link is not None and setup.link.mode == "closed"
    if closed and not facts.loss_proven:
        yield Due(Duty.LINK_LOSS, "Pull the link's plug on purpose", now,
                  "What happens when it is lost is not proven for these settings.", 10.0,
                  "a watch", worth=6, stage="link")  # fmt: skip


def _by_what_happened(setup: Setup, facts: Facts) -> Iterator[Due]:
    now = facts.now_s
    log_every = CASE_LOG_DAYS if facts.remedies else LOG_EVERY_DAYS
    if facts.last_log_s is None:
        yield Due(Duty.LOG, "Pull the first log", now,
                  "Without one nothing can be told of the cells.", 10.0, "cable or app", worth=8,
                  stage="record")  # fmt: skip
    else:
        case = "a case is open" if facts.remedies else "a month"
        yield Due(Duty.LOG, "Pull the log", facts.last_log_s + log_every * DAY_S,
                  f"Every {log_every:.0f} days: {case}.", 10.0, "cable or app", worth=5,
                  stage="record")  # fmt: skip
        full_s = facts.last_full_s
        since = f"the last was {_day(full_s, facts.zone)}" if full_s else "none is in the log"
        yield Due(Duty.FULL, "A full charge, held", (full_s or now) + FULL_EVERY_DAYS * DAY_S
                  if full_s else now, f"Monthly: the charge counter and the balancer need the top; "
                  f"{since}.", 5.0, waits_h=4.0, worth=6, stage="charge")  # fmt: skip
    equalise = _equalise(setup, facts)
    if equalise is not None:
        yield equalise
    if facts.last_capacity_s is not None or facts.last_log_s is not None:
        last = facts.last_capacity_s
        yield Due(Duty.CAPACITY, "A capacity test", last + YEAR_DAYS * DAY_S if last else now +
                  30 * DAY_S, "Yearly, at the same current and warmth." if last else
                  "None yet: the first one is what later ones are held against.", 30.0,
                  "a steady load", waits_h=12.0, worth=3, stage="build")  # fmt: skip
    if facts.last_trips_s is None or facts.now_s - facts.last_trips_s > 90 * DAY_S:
        yield Due(Duty.TRIPS, "Note the trip counters", now, "Their growth says what the log "
                  "between its rows does not.", 5.0, "the BMS's app or panel", worth=3,
                  stage="keep")  # fmt: skip


def _equalise(setup: Setup, facts: Facts) -> Due | None:
    """When the charge between cells reaches a per cent at what is measured; else by the setting."""
    charging = setup.charging
    every = charging.equalise_every_days if charging else None
    limit_ah = APART_PCT / 100.0 * setup.capacity_ah
    apart, drift = facts.apart_ah, facts.drifts_ah_per_day
    last = facts.last_equalise_s or facts.last_full_s
    if apart is not None and drift is not None and isfinite(apart) and isfinite(drift):
        net = drift - (facts.levels_ah_per_day or 0.0)
        if apart >= limit_ah:
            return _level(facts.now_s, f"{apart:.1f} Ah lie between the cells, more than "
                          f"{APART_PCT:g} % of the capacity.", 7)  # fmt: skip
        if net > 0:
            days = (limit_ah - apart) / net
            why = (f"{1e3 * net:.0f} mAh a day more than the balancer moves: {APART_PCT:g} % "
                   f"between cells in {days:.0f} days.")  # fmt: skip
            when = (facts.last_full_s or facts.now_s) + days * DAY_S
            return _level(when, why, 5, max(1.0, limit_ah / net))
        if every is None:
            return None
        return _level((last or facts.now_s) + every * DAY_S, f"Every {every:.0f} days as set; the "
                      "balancer keeps up by itself.", 2, every)  # fmt: skip
    if every is None:
        return None
    return _level(
        (last or facts.now_s) + every * DAY_S, f"Every {every:.0f} days as set.", 4, every
    )


def _level(due_s: float, why: str, worth: int, every_days: float | None = None) -> Due:
    return Due(Duty.EQUALISE, "Equalise, or level at the top", due_s, why, 20.0, waits_h=6.0,
               worth=worth, stage="level", every_days=every_days)  # fmt: skip


def _by_season(setup: Setup, facts: Facts) -> Iterator[Due]:
    if setup.charge_cutoff is not None:
        yield _cold(facts)
    torque = facts.last_torque_s
    if torque is not None:
        first = facts.torques <= 1
        days = FIRST_TORQUE_DAYS if first else YEAR_DAYS
        yield Due(Duty.TORQUE, "Check bars and lugs with the torque wrench",
                  torque + days * DAY_S, "A month after the first tightening: they settle."
                  if first else "Yearly.", 30.0, "torque wrench, insulated", worth=5,
                  stage="build")  # fmt: skip
    else:
        yield Due(Duty.TORQUE, "Check bars and lugs with the torque wrench", facts.now_s,
                  "No tightening is noted.", 30.0, "torque wrench, insulated", worth=5,
                  stage="build")  # fmt: skip


def _cold(facts: Facts) -> Due:
    """Before the first frost after the last proof; one made in the weeks before it counts for it.
    Without a proof of this cutoff it is due now in the cold months, else in autumn.
    """
    now = datetime.fromtimestamp(facts.now_s, facts.zone)
    south = facts.latitude_deg is not None and facts.latitude_deg < 0
    why = "Each autumn, before the first frost."
    if facts.last_cold_s is None or not facts.cold_is_of_cutoff:
        autumn_s = _autumn_after(now, south).timestamp()
        # the moment itself: a date and back again is a microsecond later, and behind all others
        due_s = facts.now_s if _cold_season(now, south) else autumn_s
        why = "The cutoff was moved since it was proven."
        if facts.last_cold_s is None:
            why = "The cutoff was never proven: a charge below freezing ruins cells in silence."
    else:
        proven = datetime.fromtimestamp(facts.last_cold_s, facts.zone)
        ahead = proven + timedelta(days=COUNTS_AHEAD_DAYS)
        due_s = _autumn_after(ahead, south).timestamp()
    return Due(Duty.COLD, "Prove the cold cutoff", due_s, why, 30.0,
               "salted ice, thermometer", worth=8, stage="cold")  # fmt: skip


def _autumn_after(day: datetime, south: bool) -> datetime:
    """The next day on which the cutoff must be proven."""
    month = SOUTH_MONTH if south else COLD_MONTH
    autumn = day.replace(month=month, day=COLD_DAY, hour=12, minute=0, second=0, microsecond=0)
    return autumn if autumn > day else autumn.replace(year=day.year + 1)


def _cold_season(now: datetime, south: bool) -> bool:
    """October to April in the north, April to October in the south."""
    month = (now.month + 5) % 12 + 1 if south else now.month
    return month >= COLD_MONTH or month <= 4


def _day(at_s: float | None, zone: tzinfo) -> str:
    if at_s is None:
        return "never"
    at = datetime.fromtimestamp(at_s, zone)
    return f"{at.day} {at:%B}"


def weekend(dues: list[Due], now_s: float, ahead_days: float = 14.0) -> list[Due]:
    """What would help now, most worth for its minutes first: due within the next days."""
    near = [d for d in dues if d.days_from(now_s) <= ahead_days]
    return sorted(near, key=lambda d: (-d.worth, d.minutes))
