"""Which fuse: above what flows for long, not above what the lead carries, able to break a short."""

from dataclasses import dataclass

from nipper.core.setup import Setup
from nipper.core.wiring.fuse import RATED_A
from nipper.core.wiring.lead import main_lead, pack_lead
from nipper.core.wiring.sharing import shared
from nipper.core.wiring.short import short_circuit_a, through_fuse_a

FOR_LONG = 1.25  # times what flows for hours: common practice


@dataclass(frozen=True, slots=True)
class FuseChoice:
    """A fuse's place: ``least_a`` by what flows, ``most_a`` by the lead (None: not known), the
    ratings between them, and what it must break, kA.
    """

    place: str  # pack fuse, main fuse
    flows_a: float
    least_a: float
    most_a: float | None
    fits_a: tuple[float, ...]
    breaks_ka: float
    fitted_a: float | None
    fitted_breaks_ka: float | None


def pack_fuse(packs: tuple[Setup, ...], load_a: float) -> FuseChoice:
    """The fuse of the busiest pack, at a current of the whole bank, A. All packs count as there:
    with one away, the BMS of each other holds its own current.
    """
    found = [abs(a) for a in shared(packs, load_a).packs_a]
    flows_a = max(found)
    pack = packs[found.index(flows_a)]
    wiring, lead = pack.wiring, pack_lead(pack.wiring)
    kind = wiring.fuse_kind if wiring else "gG"
    most_a = lead.protected_by_a(kind) if lead else None
    return _choice(
        "pack fuse", flows_a, most_a, through_fuse_a(pack) / 1e3,
        (wiring.fuse_a, wiring.fuse_breaks_ka) if wiring else (None, None),
    )  # fmt: skip


def main_fuse(setup: Setup, load_a: float) -> FuseChoice:
    """The main fuse at a current of the whole bank, A."""
    wiring, lead = setup.wiring, main_lead(setup.wiring)
    kind = wiring.main_fuse_kind if wiring else "gG"
    return _choice(
        "main fuse",
        load_a,
        lead.protected_by_a(kind) if lead else None,
        short_circuit_a(setup) / 1e3,
        (wiring.main_fuse_a, wiring.main_fuse_breaks_ka) if wiring else (None, None),
    )


def _choice(
    place: str,
    flows_a: float,
    most_a: float | None,
    breaks_ka: float,
    fitted: tuple[float | None, float | None],
) -> FuseChoice:
    least_a = FOR_LONG * flows_a
    fits = [float(f) for f in RATED_A if f >= least_a - 1e-9]
    fits = [f for f in fits if most_a is None or f <= most_a + 1e-9]
    return FuseChoice(place, flows_a, least_a, most_a, tuple(fits), breaks_ka, *fitted)
