"""What is said of many logs, number by number, kept as a file: a change of any step of the
diagnosis shows as a change.

``python -m tests.core.diagnoses`` writes it anew; the difference is then read line by line. How
good the answers are is no matter of this file: that is what the benches of packs are for.
"""

import json
import re
from collections.abc import Callable, Iterator

import numpy as np

from nipper.core.imbalance.diagnosis import diagnose, to_json
from nipper.core.logs.model import Log
from nipper.core.setup import Setup
from tests.bench.cycles import CAUSES as CYCLED
from tests.bench.cycles import cycled
from tests.bench.meters import METERS
from tests.bench.others import CAUSES, other
from tests.bench.packs import make
from tests.conftest import FILES

KEPT = FILES / "diagnoses.json"
FIGURE = re.compile(r"[−+-]?\d+(?:\.\d+)?")
DIGITS = 4
SEEN = ("verdict", "findings", "cells", "record_next", "considered")
SIMULATED = (  # what the other generators do not make
    "plateau_balancing",
    "balancer_starved",
    "temperature_gradient",
    "loose_joint",
    "sense_lead",
)
READ_BADLY = ("soc_offset", "high_resistance", "low_capacity", "group_drain", "")


def cases() -> Iterator[tuple[str, Callable[[], tuple[Log, Setup]]]]:
    """The logs by a name each: of our own simulator, of another physics, of bench cycles, and read
    by poor meters.
    """

    def of(cause: str, n: int) -> tuple[Log, Setup]:
        pack = other(cause, n)
        return pack.log, pack.setup

    def badly(cause: str, n: int) -> tuple[Log, Setup]:
        pack, meter = other(cause, 40), METERS[n]
        return meter(pack.log, np.random.default_rng([7, 40, n])), pack.setup

    def simulated(cause: str) -> tuple[Log, Setup]:
        pack = make(cause, 40)
        return pack.log, pack.setup

    for cause in SIMULATED:
        yield f"simulated {cause}", lambda cause=cause: simulated(cause)
    for cause, n in zip(CAUSES, (40, 41, 41, 40, 41, 41, 40), strict=True):
        yield f"{cause or 'healthy'} {n}", lambda cause=cause, n=n: of(cause, n)
    for cause in CYCLED:
        yield f"cycled {cause or 'healthy'}", lambda cause=cause: cycled(cause, 40)[:2]
    for n, meter in list(enumerate(METERS))[::2]:
        cause = READ_BADLY[n % len(READ_BADLY)]
        name = f"{meter.__name__} {cause or 'healthy'}"
        yield name, lambda cause=cause, n=n: badly(cause, n)


def said(case: Callable[[], tuple[Log, Setup]]) -> dict[str, object]:
    """What is said of one, its numbers to four digits."""
    log, setup = case()
    told = to_json(diagnose(log, setup), log, setup)
    rounded: dict[str, object] = rounded_off({key: told[key] for key in SEEN})
    return rounded


def rounded_off(value: object) -> object:
    """The same with fewer digits, in texts too."""
    if isinstance(value, dict):
        return {key: rounded_off(inner) for key, inner in value.items()}
    if isinstance(value, list | tuple):
        return [rounded_off(inner) for inner in value]
    if isinstance(value, float):
        return float(f"{value:.{DIGITS}g}") if np.isfinite(value) else None
    return value


def near(one: str, other_one: str) -> bool:
    """Whether two numbers of a text are the same, but for their last digit."""
    first, second = (float(text.replace("−", "-")) for text in (one, other_one))
    step = 10.0 ** -len(one.partition(".")[2])
    return abs(first - second) <= 1.001 * step + 0.01 * abs(first)


def differences(kept: object, now: object, place: str = "") -> Iterator[str]:
    """Where two differ by more than another machine's arithmetic."""
    if isinstance(kept, dict) and isinstance(now, dict):
        for key in {**kept, **now}:
            yield from differences(kept.get(key), now.get(key), f"{place}.{key}")
    elif isinstance(kept, list) and isinstance(now, list) and len(kept) == len(now):
        for i, (one, other_one) in enumerate(zip(kept, now, strict=True)):
            yield from differences(one, other_one, f"{place}[{i}]")
    elif isinstance(kept, str) and isinstance(now, str):
        alike = FIGURE.sub("0", kept) == FIGURE.sub("0", now)
        both = zip(FIGURE.findall(kept), FIGURE.findall(now), strict=alike)
        if not alike or not all(near(one, other_one) for one, other_one in both):
            yield f"{place}: {kept!r} was, {now!r} is"
    elif isinstance(kept, float | int) and isinstance(now, float | int):
        if abs(kept - now) > 0.002 + 0.01 * abs(kept):
            yield f"{place}: {kept} was, {now} is"
    elif kept != now:
        yield f"{place}: {kept} was, {now} is"


if __name__ == "__main__":
    everything = {name: said(case) for name, case in cases()}
    KEPT.write_text(json.dumps(everything, indent=1, ensure_ascii=False) + "\n")
