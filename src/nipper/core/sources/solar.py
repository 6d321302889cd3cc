"""PV strings: the voltage of the coldest morning, the one of the hottest noon, current and power,
and every way to wire n modules.
"""

import csv
from collections.abc import Iterator
from dataclasses import dataclass, replace
from enum import StrEnum
from functools import cache
from importlib import resources

from nipper.core.setup import Module, Setup, Solar
from nipper.core.sources.mixed import mixed

STC_C = 25.0
# above the battery, where the input's sheet names no window: common practice
RUN_V, START_V = 1.0, 5.0
CONTINUOUS = 1.25  # of the short-circuit current: NEC 690.8, from memory
MARGIN = 0.02  # of the absolute maximum, for the module's own tolerance: common practice
MODULES_SOURCE = "typical of such modules, from memory: take the module's own sheet"
# crystalline silicon, where the module's own coefficient is not known: NEC table 690.7(A), from
# memory; (lowest of the band, factor)
NEC_690_7 = (
    (20, 1.02),
    (15, 1.04),
    (10, 1.06),
    (5, 1.08),
    (0, 1.10),
    (-5, 1.12),
    (-10, 1.14),
    (-15, 1.16),
    (-20, 1.18),
    (-25, 1.20),
    (-30, 1.21),
    (-35, 1.23),
    (-40, 1.25),
)


class Kind(StrEnum):
    """What can be wrong with a way to wire modules."""

    DESTROYS = "destroys"
    SHORT = "short"
    NEAR = "near"
    NO_START = "no start"
    NO_RUN = "no run"
    SWINGS = "swings"
    TAKES_LESS = "takes less"
    LEFT = "left over"
    UNLIKE = "unlike strings"
    BACK_FED = "back-fed"


LOST = 0.03  # share lost by unlike strings that is worth a word
CHOICES = {Kind.TAKES_LESS, Kind.LEFT}  # more modules than the input takes: a choice, no fault


@dataclass(frozen=True, slots=True)
class Flaw:
    """What is wrong, and in words."""

    kind: Kind
    text: str


@dataclass(frozen=True, slots=True)
class Arrangement:
    """One way to wire the modules, and what is wrong with it (worst first); ``left`` modules stay
    unused.
    """

    in_series: int
    in_parallel: int
    left: int
    cold_v: float  # open circuit, coldest morning
    hot_open_v: float  # open circuit, hottest noon
    hot_v: float  # operating, hottest noon
    short_a: float
    power_w: float  # of the modules used, at standard conditions
    usable_w: float  # what the input takes of it
    forbidden: tuple[Flaw, ...]  # must not be connected
    doubts: tuple[Flaw, ...]  # works badly

    @property
    def title(self) -> str:
        """As said: 2 in series, 2 strings."""
        return f"{self.in_series} in series" + (
            f", {self.in_parallel} strings" if self.in_parallel > 1 else ""
        )

    @property
    def rank(self) -> tuple[bool, int, float, int, float]:
        """Sorts the best first: allowed, without doubts, most power, none left over, the lower
        voltage.
        """
        return bool(self.forbidden), len(self.doubts), -self.usable_w, self.left, self.cold_v


@cache
def modules() -> tuple[Module, ...]:
    """The modules that ship: kinds, not products."""
    with (
        resources.files("nipper.core.sources")
        .joinpath("data", "modules.csv")
        .open(encoding="utf-8") as file
    ):
        return tuple(
            Module(name=row.pop("name"), **{k: float(v) for k, v in row.items()})
            for row in csv.DictReader(file)
        )


def cold_open_v(module: Module, in_series: int, cell_c: float) -> float:
    """Open-circuit voltage of a string at a cell temperature, V: n Voc (1 + beta (T - 25 degC));
    without a coefficient, by the standard's factors.
    """
    if module.voc_pct_per_k == 0.0:
        return in_series * module.voc_v * nec_factor(cell_c)
    return in_series * module.voc_v * (1.0 + module.voc_pct_per_k / 100.0 * (cell_c - STC_C))


def hot_operating_v(module: Module, in_series: int, cell_c: float) -> float:
    """Operating voltage of a string at a cell temperature, V."""
    return in_series * module.vmp_v * (1.0 + module.vmp_pct_per_k / 100.0 * (cell_c - STC_C))


def nec_factor(coldest_c: float) -> float:
    """Factor on the open-circuit voltage by NEC table 690.7(A): the band that holds the
    temperature, 1.25 below all.
    """
    return (
        next((factor for low, factor in NEC_690_7 if coldest_c >= low), 1.25)
        if coldest_c < STC_C
        else 1.0
    )


def battery_v(setup: Setup) -> float:
    """The highest voltage at which the charger works on this bank."""
    return setup.charging.absorption_v if setup.charging else 0.0


def starts_at_v(setup: Setup, solar: Solar) -> float:
    """The open voltage the input needs to begin: by its sheet, else so far above the battery."""
    return solar.tracker.from_v or battery_v(setup) + START_V


def runs_at_v(setup: Setup, solar: Solar) -> float:
    """The operating voltage it needs to go on, once it has begun."""
    return solar.tracker.from_v or battery_v(setup) + RUN_V


def judge(setup: Setup, solar: Solar, in_series: int, in_parallel: int) -> Arrangement:
    """One way to wire them, held against the input's sheet."""
    module, other = solar.module, solar.other
    used = in_series * in_parallel
    both = mixed(solar, in_series, in_parallel)
    opens = [cold_open_v(module, in_series, solar.coldest_c)]
    opens += [cold_open_v(other.module, other.in_series, solar.coldest_c)] if other else []
    way = Arrangement(
        in_series=in_series,
        in_parallel=in_parallel,
        left=solar.modules - used,
        cold_v=max(opens),
        hot_open_v=cold_open_v(module, in_series, solar.hottest_c),
        hot_v=hot_operating_v(module, in_series, solar.hottest_c),
        short_a=in_parallel * module.isc_a + (other.strings * other.module.isc_a if other else 0.0),
        power_w=both.apart_w if both else used * module.vmp_v * module.imp_a,
        usable_w=0.0,
        forbidden=(),
        doubts=(),
    )
    way = replace(way, usable_w=_usable_w(setup, solar, way))
    forbidden = tuple(_forbidden(solar, way))
    return replace(way, forbidden=forbidden, doubts=tuple(_doubts(setup, solar, way)))


def _usable_w(setup: Setup, solar: Solar, way: Arrangement) -> float:
    """What the input takes of the modules' power."""
    tracker, charging = solar.tracker, setup.charging
    both = mixed(solar, way.in_series, way.in_parallel)
    limits = [both.together_w if both else way.power_w]
    if tracker.max_a:
        limits.append(tracker.max_a * way.in_series * solar.module.vmp_v)
    if tracker.max_w:
        limits.append(tracker.max_w)
    if charging and charging.max_charge_a:
        limits.append(charging.max_charge_a * battery_v(setup))
    return min(limits)


def _forbidden(solar: Solar, way: Arrangement) -> Iterator[Flaw]:
    tracker = solar.tracker
    if way.cold_v > tracker.max_v:
        yield Flaw(
            Kind.DESTROYS,
            f"{way.cold_v:.0f} V open at {solar.coldest_c:g} °C, above the input's "
            f"{tracker.max_v:g} V: it destroys the input",
        )
    if tracker.max_short_a and way.short_a > tracker.max_short_a:
        yield Flaw(
            Kind.SHORT,
            f"{way.short_a:.1f} A in short circuit, above the {tracker.max_short_a:g} A the "
            "input stands",
        )


def _doubts(setup: Setup, solar: Solar, way: Arrangement) -> Iterator[Flaw]:
    tracker, module = solar.tracker, solar.module
    if (1.0 - MARGIN) * tracker.max_v < way.cold_v <= tracker.max_v:
        yield Flaw(
            Kind.NEAR,
            f"{way.cold_v:.0f} V open at {solar.coldest_c:g} °C leave less than 2 % to the "
            f"input's {tracker.max_v:g} V",
        )
    yield from _in_the_heat(setup, solar, way)
    high_v = hot_operating_v(module, way.in_series, solar.coldest_c)
    if tracker.to_v and high_v > tracker.to_v:
        yield Flaw(
            Kind.SWINGS,
            f"works at up to {high_v:.0f} V in the cold, beyond the {tracker.to_v:g} V it tracks "
            "to: power swings, fans howl",
        )
    operating_a = way.in_parallel * module.imp_a
    both = mixed(solar, way.in_series, way.in_parallel)
    given_w = both.together_w if both else way.power_w
    if way.usable_w < 0.85 * given_w:
        amps = f" ({operating_a:.1f} A)" if tracker.max_a and operating_a > tracker.max_a else ""
        yield Flaw(
            Kind.TAKES_LESS,
            f"the input takes {way.usable_w:.0f} W of {given_w:.0f} W{amps}",
        )
    yield from _unlike(solar, way)
    if way.left:
        yield Flaw(Kind.LEFT, f"{way.left} module{'s' if way.left > 1 else ''} left over")


def _unlike(solar: Solar, way: Arrangement) -> Iterator[Flaw]:
    """Two kinds of strings at one voltage: what they lose, and whether one feeds the other."""
    both, other = mixed(solar, way.in_series, way.in_parallel), solar.other
    if both is None or other is None:
        return
    if both.lost > LOST:
        yield Flaw(
            Kind.UNLIKE,
            f"unlike strings at one voltage give {both.together_w:.0f} W of {both.apart_w:.0f} W: "
            f"{100 * both.lost:.0f} % lost, an input each gives all",
        )
    kinds = (solar.module, way.in_series), (other.module, other.in_series)
    lower_v = min(cold_open_v(module, n, solar.hottest_c) for module, n in kinds)
    works_v = max(hot_operating_v(module, n, solar.hottest_c) for module, n in kinds)
    if works_v > lower_v:
        yield Flaw(
            Kind.BACK_FED,
            f"the lower string opens at {lower_v:.0f} V, the higher works at {works_v:.0f} V: "
            "whenever the input takes nothing it is fed backwards; fuse each string by its "
            "module's sheet, or take another input",
        )


def _in_the_heat(setup: Setup, solar: Solar, way: Arrangement) -> Iterator[Flaw]:
    """It begins by the open voltage, and goes on by the operating one: each has its own margin."""
    start_v, run_v = starts_at_v(setup, solar), runs_at_v(setup, solar)
    if way.hot_open_v < start_v:
        yield Flaw(
            Kind.NO_START,
            f"{way.hot_open_v:.0f} V open at {solar.hottest_c:g} °C, below the {start_v:.0f} V it "
            "starts at: nothing comes on hot days",
        )
    elif way.hot_v < run_v:
        yield Flaw(
            Kind.NO_RUN,
            f"works at {way.hot_v:.0f} V at {solar.hottest_c:g} °C, below the {run_v:.0f} V it "
            "needs: it starts and drops out on hot days",
        )


def arrangements(setup: Setup) -> list[Arrangement]:
    """Every way to wire the modules in equal strings, the best first; empty without PV."""
    solar = setup.solar
    if solar is None:
        return []
    ways = [judge(setup, solar, s, solar.modules // s) for s in range(1, solar.modules + 1)]
    return sorted(ways, key=lambda a: a.rank)


def as_set(setup: Setup) -> Arrangement | None:
    """The arrangement the setup names; None without PV."""
    solar = setup.solar
    return (
        None
        if solar is None
        else judge(setup, solar, solar.in_series, max(1, solar.modules // solar.in_series))
    )


def back_feed_a(solar: Solar, in_parallel: int) -> float:
    """What the other strings feed into a faulted one, A: (n - 1) 1.25 Isc (NEC 690.9, from
    memory).
    """
    return (in_parallel - 1) * CONTINUOUS * solar.module.isc_a
