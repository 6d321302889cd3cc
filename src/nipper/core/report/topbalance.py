"""A top balance in words, and what the bench keeps of one that is under way."""

from collections.abc import Sequence

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from nipper.core.forecast.reading import Between
from nipper.core.forecast.topbalance import TopBalance
from nipper.core.imbalance.remedies import bleed, feed
from nipper.core.report.consequence import Consequence, Status
from nipper.core.setup import Setup, get

HELD_S = 900.0  # between the first level reading and the one that shows it held
HOLD_S = 1800.0  # after this long the next reading is asked for: common practice
CAUTION = (
    "Stay with it: nothing is to go above the cell's sheet, and the BMS's trips stay as they are. "
    "Chargers are set back afterwards."
)


class Session(BaseModel):
    """A top balance under way: since when, where it stops, and what is to be set back."""

    model_config = ConfigDict(extra="ignore")

    pack: int
    begun_s: float
    stop_mv: float = Field(gt=0, le=1000)
    back: dict[str, float | None] = Field(default_factory=dict, max_length=10)
    offset_ah: list[float] = Field(default_factory=list, max_length=200)


def parse_session(text: str | None) -> Session | None:
    """The kept session; None where there is none to be read."""
    try:
        return Session.model_validate_json(text) if text else None
    except ValidationError:
        return None


def steps(found: TopBalance, setup: Setup) -> list[str]:
    """What to do, in order."""
    amps = 0.03 * setup.bank_ah
    apart = f"Cells {found.highest_cell} and {found.lowest_cell} differ by {found.move_ah:.2f} Ah."
    out = [f"{apart} {_by_balancer(found)}"]
    if found.by_hand_first:
        out.append(_by_hand(found, setup))
    if found.below_start:
        out.append("The target is below the balancer's start: lower its start, or it never runs.")
    out += [
        "Set the charger as below, and nothing else: the trips stay.",
        f"Charge until the current has fallen below {amps:.0f} A, then read the cells; again every "
        "half an hour (Ctrl+M).",
        "Stop at the deviation chosen. Take out some 10 A for a quarter of an hour, charge again, "
        "read again: it must have held.",
        "Set the charger back.",
    ]
    return out


def _by_balancer(found: TopBalance) -> str:
    if found.hours is None:
        return "No balancer levels that within two weeks."
    span, target = _span(found.hours), f"{found.target_cell_v:.2f} V a cell"
    if found.by_hand_first:
        return f"The balancer alone needs {span} at {target}: too long to keep cells at the top."
    return f"The balancer needs about {span} at {target}."


def _by_hand(found: TopBalance, setup: Setup) -> str:
    """The larger part by hand, before the balancer finishes."""
    if -found.lowest_ah >= found.highest_ah:
        way = feed(-found.lowest_ah, setup).sentence(found.lowest_cell)
    else:
        way = bleed(found.highest_ah, setup).sentence(found.highest_cell)
    return f"First by hand: {way} Then read again and begin anew."


def reminder(session: Session, setup: Setup) -> Consequence | None:
    """That the charger is still set for levelling; None once all is set back."""
    open_ = [p for p, v in session.back.items() if get(setup, p) != v]
    if not open_:
        return None
    lines = ", ".join(f"{p.rpartition('.')[2].replace('_', ' ')} {session.back[p]}" for p in open_)
    return Consequence(
        Status.WATCH,
        "The charger is still set for the top balance.",
        f"Set back: {lines}.",
        place="Record → Top balance",
    )


def next_reading_s(session: Session, readings: Sequence[tuple[float, float]]) -> float | None:
    """When the cells are to be read next, Unix s; None once the pack was level and it held.
    Readings as (seconds since it began, mV).
    """
    if has_held(session, readings):
        return None
    since = readings[-1][0] if readings else 0.0
    return session.begun_s + since + HOLD_S


def has_held(session: Session, readings: Sequence[tuple[float, float]]) -> bool:
    """Whether it was level, and was level again after it was loaded and charged once more."""
    level_s = [at for at, mv in readings if mv <= session.stop_mv]
    held = bool(level_s) and readings[-1][1] <= session.stop_mv
    return held and level_s[-1] - level_s[0] >= HELD_S


def under_way(
    session: Session, readings: Sequence[tuple[float, float]], now_s: float
) -> Consequence:
    """How a top balance goes and what is next; readings of before it began are passed over."""
    since = [(at, mv) for at, mv in readings if at >= -60.0]
    return Consequence(
        Status.WATCH,
        f"Top balance under way. {progress(session, since)}",
        prompt(session, since, now_s),
        place="Record → Top balance",
    )


def prompt(session: Session, readings: Sequence[tuple[float, float]], now_s: float) -> str:
    """What is to be read, and in how many minutes."""
    due_s = next_reading_s(session, readings)
    if due_s is None:
        return "It held: set the charger back, and end the session."
    minutes = (due_s - now_s) / 60.0
    if minutes <= 0.5:
        return "Read the cells now (Ctrl+M)."
    return f"The next reading in {minutes:.0f} min."


def progress(session: Session, readings: Sequence[tuple[float, float]]) -> str:
    """How it goes: readings as (seconds since it began, mV)."""
    if not readings:
        return "No reading yet since it began."
    last_s, last_mv = readings[-1]
    if has_held(session, readings):
        return f"{last_mv:.0f} mV: level, and it held."
    if last_mv <= session.stop_mv:
        return (
            f"{last_mv:.0f} mV: level. Take out some 10 A for a quarter of an hour, charge again, "
            "and read once more: held?"
        )
    if any(mv <= session.stop_mv for _, mv in readings):
        return f"{last_mv:.0f} mV: it did not hold. Go on levelling, and look for the cause."
    if len(readings) < 2:
        return f"{last_mv:.0f} mV."
    first_s, first_mv = readings[0]
    between = Between((last_s - first_s) / 60.0, first_mv, last_mv, True, None)
    pace = (first_mv - last_mv) / max(between.minutes, 1e-9)
    if pace <= 0.0:
        return f"{first_mv:.0f} → {last_mv:.0f} mV: it does not shrink. May the balancer run now?"
    left = (last_mv - session.stop_mv) / pace
    return f"{first_mv:.0f} → {last_mv:.0f} mV in {_span(between.minutes / 60)}; about " + (
        f"{_span(left / 60)} to go at this pace."
    )


def _span(hours: float) -> str:
    if hours < 1.5:
        return f"{hours * 60:.0f} min"
    return f"{hours:.0f} h" if hours >= 10 else f"{hours:.1f} h"
