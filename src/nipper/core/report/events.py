"""What a bench event says to a reader: its note, or the proof that is kept in it."""

from nipper.core.cold import record as cold
from nipper.core.link import record as link


def event_words(kind: str, note: str) -> str:
    """The event in words."""
    if kind == link.LOSS:
        proof = link.parse(note)
        return note if proof is None else proof.words
    return cold.event_words(kind, note)
