"""A proof of the cold cutoff as the bench keeps it: values with their meaning, no sentence."""

import math
import re
from collections.abc import Iterable

from pydantic import BaseModel, ConfigDict, ValidationError

from nipper.core.cold.proof import NARROW_K, TOLERANCE_C, Proof
from nipper.core.setup import TemperatureLimit

PROOF = "proof"  # the kind of a bench event that is one
LEGACY = re.compile(r"stops at (-?[\d.]+) °C")  # proofs were sentences once


class ProofRecord(BaseModel):
    """Where the charge stopped and went on, and which cutoff was set then. In degC."""

    model_config = ConfigDict(frozen=True, extra="ignore", defer_build=True)

    stop_c: float
    charging_c: float
    resume_c: float | None = None
    trip_c: float | None = None

    @property
    def words(self) -> str:
        """The proof in a few words."""
        stops = f"stops at {round(self.stop_c, 1):g} °C"
        if self.charging_c - self.stop_c > NARROW_K:
            high, low = round(self.charging_c, 1), round(self.stop_c, 1)
            stops = f"stops between {high:g} and {low:g} °C"
        resumes = "" if self.resume_c is None else f", resumes at {round(self.resume_c, 1):g} °C"
        return f"{stops}{resumes}".replace(" -", " −")

    def is_of(self, limit: TemperatureLimit) -> bool:
        """Whether it proves this cutoff: a cutoff moved since is another one."""
        if self.trip_c is not None:
            return abs(self.trip_c - limit.trip_c) < 0.05
        return self.stop_c - TOLERANCE_C <= limit.trip_c <= self.charging_c + TOLERANCE_C


def record(found: Proof) -> ProofRecord:
    """What is kept of a proof."""
    resume_c = found.resume_c if math.isfinite(found.resume_c) else None
    return ProofRecord(
        stop_c=found.stop_c, charging_c=found.charging_c, resume_c=resume_c, trip_c=found.trip_c
    )


def parse(note: str) -> ProofRecord | None:
    """The proof in a bench event's note; None where there is none to be read."""
    try:
        return ProofRecord.model_validate_json(note)
    except ValidationError:
        at = LEGACY.search(note.replace("−", "-"))
        return ProofRecord(stop_c=float(at[1]), charging_c=float(at[1])) if at else None


def last_proof(
    events: Iterable[tuple[float, int | None, str, str]], pack: int
) -> tuple[float, ProofRecord] | None:
    """The newest proof of a pack, and when it was made. Events as (time_s, pack, kind, note)."""
    notes = sorted(
        (at, note) for at, of, kind, note in events if kind == PROOF and of in (None, pack)
    )
    proofs = [(at, proof) for at, note in notes if (proof := parse(note)) is not None]
    return proofs[-1] if proofs else None


def event_words(kind: str, note: str) -> str:
    """What a bench event says to a reader: its note, or the proof in it."""
    proof = parse(note) if kind == PROOF else None
    return note if proof is None else f"cold cutoff proven: {proof.words}"
