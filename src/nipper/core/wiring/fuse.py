"""Fuses: rated currents and the band in which one melts. A fuse's own sheet decides."""

from functools import lru_cache
from math import exp, inf, log

# IEC 60269 rated currents, from memory
RATED_A = (
    2,
    4,
    6,
    10,
    16,
    20,
    25,
    32,
    40,
    50,
    63,
    80,
    100,
    125,
    160,
    200,
    250,
    315,
    400,
    500,
    630,
    800,
    1000,
)
# gates of gG fuses, IEC 60269-1, from memory: a fuse of that rating does not melt within 10 s at
# the first current, does within 5 s at the
# second, does not within 0.1 s at the third, and does within 0.1 s at the fourth
GATES_A = {
    16: (33, 65, 85, 150),
    20: (42, 85, 110, 200),
    25: (52, 110, 150, 260),
    32: (75, 150, 200, 350),
    40: (95, 190, 260, 450),
    50: (125, 250, 350, 610),
    63: (160, 320, 450, 820),
    80: (215, 425, 610, 1100),
    100: (290, 580, 820, 1450),
    125: (355, 715, 1100, 1910),
    160: (460, 950, 1450, 2590),
    200: (610, 1250, 1910, 3420),
    250: (750, 1650, 2590, 4500),
    315: (1050, 2200, 3420, 6000),
    400: (1420, 2840, 4500, 8060),
    500: (1780, 3800, 6000, 10600),
    630: (2200, 5100, 8060, 14140),
    800: (3060, 7000, 10600, 19000),
    1000: (4000, 9500, 14140, 24000),
}
CONVENTIONAL = (
    1.25,
    1.6,
)  # of the rating: does not melt, does melt within the conventional time; IEC 60269-1, from memory
FAST = (
    ((1.10, 3600.0), (1.8, 10.0), (3.0, 0.1)),
    ((1.35, 3600.0), (2.6, 5.0), (5.0, 0.1)),
)  # class T and the like: from memory, low confidence
Curve = tuple[tuple[float, float], ...]
KIND_WORDS = {
    "gG": "gG gates, IEC 60269-1, from memory",
    "fast": "a class-T-like curve, from memory: take the fuse's own",
}
# hours of the conventional time by rating, 4 above: IEC 60269-1, from memory
CONVENTIONAL_H = ((63, 1), (160, 2), (400, 3))


def conventional_s(fuse_a: float) -> float:
    """The conventional time of a gG fuse: 1 h to 63 A, 2 h to 160 A, 3 h to 400 A, 4 h beyond (IEC
    60269-1, from memory).
    """
    hours = next((h for up_to_a, h in CONVENTIONAL_H if fuse_a <= up_to_a), 4)
    return 3600.0 * hours


@lru_cache(maxsize=256)
def melting_band(fuse_a: float, kind: str = "gG") -> tuple[Curve, Curve]:
    """Two curves of (A, s), currents rising: the soonest and the latest at which a fuse of that
    rating melts.
    """
    if kind == "fast":
        return tuple((m * fuse_a, s) for m, s in FAST[0]), tuple(
            (m * fuse_a, s) for m, s in FAST[1]
        )
    near = min(GATES_A, key=lambda rating: abs(log(rating / fuse_a)))
    share = fuse_a / near  # between ratings of the table the gates scale
    no_10, yes_5, no_01, yes_01 = (share * a for a in GATES_A[near])
    long_s = conventional_s(fuse_a)
    soonest = ((CONVENTIONAL[0] * fuse_a, long_s), (no_10, 10.0), (no_01, 0.1))
    return soonest, ((CONVENTIONAL[1] * fuse_a, long_s), (yes_5, 5.0), (yes_01, 0.1))


def _time_s(curve: Curve, current_a: float) -> float:
    """Along a curve: a body with one time constant from the current it carries for ever up to the
    first gate, straight on logarithmic
    scales between the gates, and at constant I2t beyond the last one."""
    (never_a, longest_s), (gate_a, gate_s), (fast_a, fast_s) = curve
    if current_a <= never_a:
        return inf
    if current_a <= gate_a:
        tau_s = gate_s / -log(1.0 - (never_a / gate_a) ** 2)
        return min(longest_s, -tau_s * log(1.0 - (never_a / current_a) ** 2))
    if current_a <= fast_a:
        return exp(
            log(gate_s)
            + (log(fast_s) - log(gate_s)) * log(current_a / gate_a) / log(fast_a / gate_a)
        )
    return fast_s * (fast_a / current_a) ** 2


def melts_after_s(current_a: float, fuse_a: float, kind: str = "gG") -> tuple[float, float]:
    """The soonest and the latest at which it melts at a current, s; inf where it need not ever."""
    soonest, latest = melting_band(fuse_a, kind)
    return _time_s(soonest, current_a), _time_s(latest, current_a)


def surely_melts_a(fuse_a: float, kind: str = "gG") -> float:
    """The current at which it is sure to melt within its conventional time, A (I2 of the
    standards).
    """
    return melting_band(fuse_a, kind)[1][0][0]
