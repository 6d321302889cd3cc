"""PV strings: the voltage of the coldest morning, the one of the hottest noon, current and power,
and every way to wire n modules.
"""

import csv
from dataclasses import dataclass
from functools import cache
from importlib import resources

from nipper.core.setup import Module, Setup, Solar

STC_C = 25.0
RUN_V, START_V = (
    1.0,
    5.0,
)  # above the battery, where the input's sheet names no window: common practice
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


@dataclass(frozen=True, slots=True)
class Arrangement:
    """One way to wire the modules, and what is wrong with it (worst first); ``left`` modules stay
    unused.
    """

    in_series: int
    in_parallel: int
    left: int
    cold_v: float  # open circuit, coldest morning
    hot_v: float  # operating, hottest noon
    short_a: float
    power_w: float  # of the modules used, at standard conditions
    usable_w: float  # what the input takes of it
    forbidden: tuple[str, ...]  # must not be connected
    doubts: tuple[str, ...]  # works badly

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
    """Where the input begins to work: by its sheet, else so far above the battery."""
    return solar.tracker.from_v or battery_v(setup) + START_V


def judge(setup: Setup, solar: Solar, in_series: int, in_parallel: int) -> Arrangement:
    """One way to wire them, held against the input's sheet."""
    module, tracker = solar.module, solar.tracker
    used = in_series * in_parallel
    cold_v, hot_v = (
        cold_open_v(module, in_series, solar.coldest_c),
        hot_operating_v(module, in_series, solar.hottest_c),
    )
    short_a, power_w = in_parallel * module.isc_a, used * module.vmp_v * module.imp_a
    cool_v, high_v = in_series * module.vmp_v, hot_operating_v(module, in_series, solar.coldest_c)
    forbidden: list[str] = []
    doubts: list[str] = []
    if cold_v > tracker.max_v:
        forbidden.append(
            f"{cold_v:.0f} V open at {solar.coldest_c:g} °C, above the input's "
            f"{tracker.max_v:g} V: it destroys the input"
        )
    elif cold_v > (1.0 - MARGIN) * tracker.max_v:
        doubts.append(
            f"{cold_v:.0f} V open at {solar.coldest_c:g} °C leave less than 2 % to the "
            f"input's {tracker.max_v:g} V"
        )
    if tracker.max_short_a and short_a > tracker.max_short_a:
        forbidden.append(
            f"{short_a:.1f} A in short circuit, above the {tracker.max_short_a:g} A the "
            "input stands"
        )
    start_v = starts_at_v(setup, solar)
    if hot_v < start_v:
        doubts.append(
            f"{hot_v:.0f} V at {solar.hottest_c:g} °C, below the {start_v:.0f} V it "
            "starts at: nothing comes on hot days"
        )
    if tracker.to_v and high_v > tracker.to_v:
        doubts.append(
            f"works at up to {high_v:.0f} V in the cold, beyond the {tracker.to_v:g} V it "
            "tracks to: power swings, fans howl"
        )
    operating_a = in_parallel * module.imp_a
    usable_w = power_w
    if tracker.max_a:
        usable_w = min(usable_w, tracker.max_a * cool_v)
    if tracker.max_w:
        usable_w = min(usable_w, tracker.max_w)
    if charge_a := setup.charging.max_charge_a if setup.charging else None:
        usable_w = min(usable_w, charge_a * battery_v(setup))
    if usable_w < 0.85 * power_w:
        doubts.append(
            f"the input takes {usable_w:.0f} W of {power_w:.0f} W"
            + (f" ({operating_a:.1f} A)" if tracker.max_a and operating_a > tracker.max_a else "")
        )
    left = solar.modules - used
    if left:
        doubts.append(f"{left} module{'s' if left > 1 else ''} left over")
    return Arrangement(
        in_series,
        in_parallel,
        left,
        cold_v,
        hot_v,
        short_a,
        power_w,
        usable_w,
        tuple(forbidden),
        tuple(doubts),
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
