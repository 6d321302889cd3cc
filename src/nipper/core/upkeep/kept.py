"""A finding as a bench keeps it, cause, cells and size, and the words it is told in later.

No sentence is kept: whoever reads it in another language, or years later, gets today's words. Of
one that an older version kept without a size, the words it was kept with are told.
"""

from collections.abc import Mapping, Sequence
from typing import Any, cast

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from nipper.core.imbalance.causes_base import Cause, has, names
from nipper.core.imbalance.diagnosis import Diagnosis

OF_THE_PACK = ("balancer_starved", "plateau_balancing")
Key = tuple[str, tuple[int, ...]]  # cause and cells


class Magnitude(BaseModel):
    """How much, in the unit of the headless contract."""

    model_config = ConfigDict(extra="ignore", allow_inf_nan=False, defer_build=True)

    value: float


class KeptFinding(BaseModel):
    """A finding of a kept diagnosis."""

    model_config = ConfigDict(extra="ignore", defer_build=True)

    cause: str = Field(max_length=100)
    cells: tuple[int, ...] = Field(max_length=200)
    magnitude: Magnitude | None = None
    mended: bool = False
    summary: str = Field(default="", max_length=1000)  # of older versions

    @property
    def words(self) -> str:
        """What was found, as a sentence."""
        if self.magnitude is None or not (self.cells or self.cause in OF_THE_PACK):
            return self.summary or _plain(self.cause, self.cells)
        return _words(self.cause, [c - 1 for c in self.cells], self.magnitude.value, self.mended)


def summary(diagnosis: Diagnosis) -> dict[str, object]:
    """What is kept of a diagnosis, so that the next one can tell what changed: the verdict and the
    findings above half.
    """
    return {
        "verdict": diagnosis.verdict,
        "findings": [_facts(f) for f in diagnosis.findings if f.confidence > 0.5],
    }


def _facts(cause: Cause) -> dict[str, object]:
    whole = cause.to_json()
    kept = {name: whole[name] for name in ("cause", "cells", "confidence", "magnitude")}
    return kept | ({"mended": True} if cause.mended else {})


def changed(before: Mapping[str, Any], now: Mapping[str, Any]) -> bool:
    """Whether two kept summaries differ in verdict, causes or cells, or in a size by more than a
    fifth. One that was made elsewhere and cannot be read is another.
    """
    try:
        return _changed(before, now)
    except (KeyError, TypeError, AttributeError):
        return True


def _changed(before: Mapping[str, Any], now: Mapping[str, Any]) -> bool:
    if before["verdict"] != now["verdict"] or len(before["findings"]) != len(now["findings"]):
        return True
    for old, new in zip(before["findings"], now["findings"], strict=True):
        if (old["cause"], old["cells"]) != (new["cause"], new["cells"]):
            return True
        was, is_now = old["magnitude"]["value"], new["magnitude"]["value"]
        if abs(is_now - was) > 0.2 * abs(was):
            return True
    return False


def findings(document: Mapping[str, Any]) -> dict[Key, str]:
    """What a kept diagnosis names, cause and cells, in words; what cannot be read of one that was
    made elsewhere is passed over.
    """
    out: dict[Key, str] = {}
    found = document.get("findings")
    for item in cast("list[Any]", found) if isinstance(found, list) else []:
        try:
            kept = KeptFinding.model_validate(item)
        except ValidationError:
            continue
        out[kept.cause, kept.cells] = kept.words
    return out


def _words(cause: str, cells: list[int], value: float, mended: bool) -> str:
    size = abs(value)
    match cause:
        case "soc_offset":
            side = "fuller" if value > 0 else "emptier"
            return f"{has(cells, 'is', 'are')} {size:.1f} % {side} than the others."
        case "low_capacity":
            return f"{has(cells, 'holds', 'hold')} {100.0 - value:.0f} % less than the others."
        case "high_resistance":
            return f"{has(cells, 'has', 'have')} {size:.2f} mΩ more than the others."
        case "loose_joint":
            state = "was loose" if mended else "is loose"
            return f"A joint at {names(cells).lower()} {state}: {size:.2f} mΩ."
        case "self_discharge":
            return f"{has(cells, 'loses', 'lose')} {size:.0f} mAh a day against the others."
        case "group_drain":
            return f"{has(cells, 'loses', 'lose')} {size:.0f} mAh a day together."
        case "balancer_starved":
            return f"The balancer cannot keep up: {size:.0f} mAh a day are missing."
        case "plateau_balancing":
            return f"The balancer works on the flat part of the curve: {size:.0f} mAh a day."
        case "sense_bias":
            side = "high" if value > 0 else "low"
            return f"{has(cells, 'reads', 'read')} {size:.0f} mV too {side}, always."
        case "sense_lead":
            where = " and ".join(str(c + 1) for c in cells)
            return f"The sense lead between cells {where} is loose: {size:.0f} mV."
        case "temperature_gradient":
            side = "warmer" if value > 0 else "colder"
            return f"{has(cells, 'runs', 'run')} {size:.0f} °C {side} than the rest."
        case _:
            return _plain(cause, [c + 1 for c in cells])


def _plain(cause: str, cells: Sequence[int]) -> str:
    """Of what this version does not know."""
    return f"{cause} {', '.join(map(str, cells))}".strip()
