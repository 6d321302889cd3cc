"""The document of ``nipper check``: findings, and beside them the open-loop sheet, the schools of
limits and the PV arrangements.
"""

from nipper.core.findings import Finding
from nipper.core.rules import Evidence, to_json
from nipper.core.rules.schools import limit_schools
from nipper.core.setup import Setup
from nipper.core.sources.openloop import sheet
from nipper.core.sources.solar import arrangements


def document(setup: Setup, findings: list[Finding]) -> dict[str, object]:
    """The fixed form of the contract, with three fields more."""
    return {
        **to_json(findings),
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
