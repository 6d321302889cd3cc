"""Copper leads: what they carry for long, what they stand for a short time, and their
resistance.
"""

from functools import lru_cache
from math import inf, log

import numpy as np

from nipper.core.wiring.fuse import surely_melts_a

LEADS = (  # mm2, A with 70 degC and with 105 degC insulation: ISO 10133, from memory
    (2.5, 25, 35),
    (4, 35, 45),
    (6, 45, 60),
    (10, 65, 90),
    (16, 90, 130),
    (25, 120, 170),
    (35, 160, 210),
    (50, 210, 270),
    (70, 265, 330),
    (95, 310, 390),
    (120, 360, 450),
    (150, 380, 475),
)
COPPER_OHM_MM2_M = 1.0 / 58.0  # IEC 60028 annealed copper at 20 degC
OVERLOAD = 1.45  # of what a lead carries, for the conventional time: IEC 60364-4-43, from memory
K_PVC = 115.0  # A sqrt(s)/mm2, from 70 to 160 degC: IEC 60364-4-43, from memory
WARM_K, RISE_K, AIR_C = (
    40.0,
    130.0,
    30.0,
)  # loaded rise to 70 degC, and to the 160 degC at which insulation is ruined, in air of 30 degC


@lru_cache(maxsize=256)
def carries_a(mm2: float, hot: bool = False) -> float:
    """Current a copper lead carries for long, A, with 70 degC insulation, or ``hot`` with 105 degC:
    ISO 10133 (from memory), interpolated.
    """
    sizes, carries = (
        [size for size, _, _ in LEADS],
        [high if hot else low for _, low, high in LEADS],
    )
    return float(np.interp(mm2, [0.0, *sizes], [0.0, *carries]))


def protected_by_a(mm2: float, kind: str = "gG", hot: bool = False) -> float:
    """The largest fuse that protects a lead against overload, A.

    Notes
    -----
    IEC 60364-4-43, from memory: In <= Iz, and I2 <= 1.45 Iz. A gG fuse melts surely only at 1.6 In,
    so
    the second asks for more than the first.
    """
    long_a = carries_a(mm2, hot)
    return min(long_a, OVERLOAD * long_a / (surely_melts_a(100.0, kind) / 100.0))


def ruined_after_s(current_a: float, mm2: float) -> float:
    """How long a lead that already carries its full load stands a current before its insulation is
    ruined at 160 degC, s; inf where it never is.

    Notes
    -----
    One time constant: for short times it is the adiabatic (k S / I)^2 of IEC 60364-4-43, for long
    ones the rise goes with the square
    of the current from the 40 K it has at the current it carries for long.
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
