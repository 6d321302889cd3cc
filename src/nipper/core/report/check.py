"""The document of ``nipper check``: findings, and beside them the open-loop sheet, the schools of
limits, the PV arrangements and the bank as built.
"""

from nipper.core.findings import Finding
from nipper.core.report.build import bank_kwh, shelf_days, window_v
from nipper.core.rules import Evidence, to_json
from nipper.core.rules.schools import limit_schools
from nipper.core.setup import Setup, pack_names, pack_setups
from nipper.core.sources.openloop import sheet
from nipper.core.sources.solar import arrangements
from nipper.core.wiring.chain import chain
from nipper.core.wiring.currents import long_a
from nipper.core.wiring.drops import drops, sag_v
from nipper.core.wiring.fusechoice import FuseChoice, main_fuse, pack_fuse
from nipper.core.wiring.sharing import shares
from nipper.core.wiring.short import short_circuit_a


def document(setup: Setup, findings: list[Finding]) -> dict[str, object]:
    """The fixed form of the contract, with four fields more."""
    return {
        **to_json(findings),
        "build": built(setup),
        "open_loop": [{"name": v.name, "value": v.text, "note": v.why} for v in sheet(setup)],
        "limit_schools": [
            {
                "id": s.id,
                "title": s.title,
                "followed": s.followed,
                "usable_ah": round(s.usable_ah, 1),
                "room_mv": round(s.room_mv),
                "days_after_trip": None
                if s.days_after_trip is None
                else round(s.days_after_trip, 1),
                "changes": dict(s.changes),
            }
            for s in limit_schools(setup, Evidence())
        ],
        "pv_arrangements": [
            {
                "in_series": a.in_series,
                "in_parallel": a.in_parallel,
                "left": a.left,
                "cold_v": round(a.cold_v, 1),
                "hot_v": round(a.hot_v, 1),
                "usable_w": round(a.usable_w),
                "forbidden": [flaw.text for flaw in a.forbidden],
                "doubts": [flaw.text for flaw in a.doubts],
            }
            for a in arrangements(setup)
        ],
    }


def built(setup: Setup) -> dict[str, object]:
    """The bank as built: chain, shares, drops, fuses, at what it gives for long."""
    amps, said_by = long_a(setup)
    packs = pack_setups(setup)
    sides = {side: chain(setup, side) for side in ("charge", "discharge")}
    return {
        "energy_kwh": round(bank_kwh(setup), 3),
        "window_v": [round(v, 3) for v in window_v(setup)],
        "shelf_days": _rounded(shelf_days(setup)),
        "short_circuit_ka": round(short_circuit_a(setup) / 1e3, 2),
        "chain": {
            side: {
                "parts": [part.to_json() for part in found.parts],
                "limit_a": found.limit_a,
                "weakest": found.weakest,
            }
            for side, found in sides.items()
        },
        "shares": [
            {"pack": name, "of_current": round(ohm, 4), "of_capacity": round(ah, 4)}
            for name, (ohm, ah) in zip(pack_names(setup), shares(packs), strict=True)
        ],
        "at_a": round(amps, 2) if amps else None,
        "at_a_by": said_by or None,
        "drops": [d.to_json() for d in drops(setup, amps, sides["discharge"])] if amps else [],
        "sag_v": round(sag_v(setup, amps), 3) if amps else None,
        "fuses": [_fuse(f) for f in (pack_fuse(packs, amps), main_fuse(setup, amps))],
    }


def _fuse(choice: FuseChoice) -> dict[str, object]:
    return {
        "place": choice.place,
        "least_a": round(choice.least_a, 1),
        "most_a": _rounded(choice.most_a),
        "fits_a": list(choice.fits_a),
        "must_break_ka": round(choice.breaks_ka, 2),
        "fitted_a": choice.fitted_a,
    }


def _rounded(value: float | None) -> float | None:
    return None if value is None else round(value, 1)
