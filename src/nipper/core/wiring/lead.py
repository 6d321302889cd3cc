"""Copper leads: what they carry for long, what they stand for a short time, and their
resistance.
"""

from dataclasses import dataclass, replace
from functools import lru_cache
from math import inf, log

import numpy as np

from nipper.core.setup import Wiring
from nipper.core.wiring.fuse import surely_melts_a

INSULATION_C = (70, 90, 105)
LEADS = (  # mm2, A with insulation of those classes: ISO 10133, from memory
    (2.5, 25, 30, 35),
    (4, 35, 40, 45),
    (6, 45, 50, 60),
    (10, 65, 70, 90),
    (16, 90, 100, 130),
    (25, 120, 140, 170),
    (35, 160, 185, 210),
    (50, 210, 230, 270),
    (70, 265, 285, 330),
    (95, 310, 330, 390),
    (120, 360, 400, 450),
    (150, 380, 430, 475),
    # beyond that standard's table: by the size to the power 0.62, as the tables of IEC 60364-5-52
    # grow (from memory: 406 A at 150 mm2, 629 A at 300)
    (185, 430, 485, 540),
    (240, 505, 575, 635),
    (300, 585, 660, 730),
)
LARGEST_MM2 = LEADS[-1][0]
BEST_C = INSULATION_C[-1]  # the most that a lead of unknown insulation may be
USUAL_C = INSULATION_C[0]  # and what is safely counted on
COPPER_OHM_MM2_M = 1.0 / 58.0  # IEC 60028 annealed copper at 20 degC
BUSBAR_A_MM2 = 1.5  # copper bar in still air: 1.2 to 1.6 A/mm2, common practice
OVERLOAD = 1.45  # of what a lead carries, for the conventional time: IEC 60364-4-43, from memory
K_PVC = 115.0  # A sqrt(s)/mm2, from 70 to 160 degC: IEC 60364-4-43, from memory
WARM_K, RISE_K, AIR_C = (
    40.0,
    130.0,
    30.0,
)  # loaded rise to 70 degC, and to the 160 degC at which insulation is ruined, in air of 30 degC


@dataclass(frozen=True, slots=True)
class Lead:
    """One way of a lead: conductors of that size side by side, equally long, so that they share
    alike. ``insulation_c`` is None where it is not known.
    """

    mm2: float
    parallel: int = 1
    insulation_c: int | None = None

    @property
    def carries_a(self) -> float:
        """What it carries for long, A: with its insulation, or safely counted with 70 degC."""
        return self.parallel * carries_a(self.mm2, self.insulation_c or USUAL_C)

    @property
    def at_best_a(self) -> float:
        """The same where unknown insulation turns out to be the best, 105 degC."""
        return self.parallel * carries_a(self.mm2, self.insulation_c or BEST_C)

    def protected_by_a(self, kind: str = "gG", at_best: bool = False) -> float:
        """The largest fuse that protects it against overload, A.

        Notes
        -----
        IEC 60364-4-43, from memory: In <= Iz, and I2 <= 1.45 Iz. A gG fuse melts surely only at
        1.6 In, so the second asks for more than the first.
        """
        long_a = self.at_best_a if at_best else self.carries_a
        return min(long_a, OVERLOAD * long_a / (surely_melts_a(100.0, kind) / 100.0))

    def ruined_after_s(self, current_a: float) -> float:
        """How long it stands a current when already fully loaded, s; inf where for ever."""
        return ruined_after_s(current_a / self.parallel, self.mm2)

    def loop_ohm(self, one_way_m: float) -> float:
        """Resistance of the way there and back at 20 degC, ohm."""
        return loop_ohm(self.mm2, one_way_m) / self.parallel

    def __str__(self) -> str:
        count = f"{self.parallel} × " if self.parallel > 1 else ""
        return f"{count}{self.mm2:g} mm²"


def pack_lead(wiring: Wiring | None) -> Lead | None:
    """The lead of one pack; None where its size is not known."""
    if wiring is None or not wiring.cable_mm2:
        return None
    return Lead(wiring.cable_mm2, wiring.cables_in_parallel, wiring.cable_insulation_c)


def main_lead(wiring: Wiring | None) -> Lead | None:
    """The bank's main lead; None where its size is not known."""
    if wiring is None or not wiring.main_cable_mm2:
        return None
    return Lead(
        wiring.main_cable_mm2, wiring.main_cables_in_parallel, wiring.main_cable_insulation_c
    )


def sizes_of(like: Lead) -> list[Lead]:
    """The sizes of the table, smallest first, as many side by side and insulated as that one."""
    return [replace(like, mm2=float(row[0])) for row in LEADS]


@lru_cache(maxsize=256)
def carries_a(mm2: float, insulation_c: int = USUAL_C) -> float:
    """Current one copper conductor carries for long, A: ISO 10133 (from memory), interpolated;
    no more than its last size beyond it.
    """
    column = 1 + INSULATION_C.index(insulation_c)
    sizes, carries = [row[0] for row in LEADS], [row[column] for row in LEADS]
    return float(np.interp(mm2, [0.0, *sizes], [0.0, *carries]))


def busbar_carries_a(mm2: float) -> float:
    """What a copper bar of that section carries for long in still air, A: common practice."""
    return BUSBAR_A_MM2 * mm2


def protected_by_a(mm2: float, kind: str = "gG") -> float:
    """The largest fuse that protects one conductor of 70 degC insulation, A."""
    return Lead(mm2).protected_by_a(kind)


def ruined_after_s(current_a: float, mm2: float) -> float:
    """How long one conductor that already carries its full load stands a current before its
    insulation is ruined at 160 degC, s; inf where it never is.

    Notes
    -----
    One time constant: for short times it is the adiabatic (k S / I)^2 of IEC 60364-4-43, for long
    ones the rise goes with the square of the current from the 40 K it has at the current it
    carries for long. Better insulation is counted as this one.
    """
    long_a = carries_a(mm2)
    final_k = WARM_K * (current_a / long_a) ** 2
    if final_k <= RISE_K:
        return inf
    tau_s = WARM_K * (K_PVC * mm2) ** 2 / ((RISE_K - WARM_K) * long_a**2)
    return tau_s * log((final_k - WARM_K) / (final_k - RISE_K))


def loop_ohm(mm2: float, one_way_m: float) -> float:
    """Resistance of both leads at 20 degC, ohm."""
    return 2.0 * COPPER_OHM_MM2_M * one_way_m / mm2
