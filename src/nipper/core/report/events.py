"""What a bench event says to a reader: its note, or the proof that is kept in it."""

from nipper.core.assembly import capacity
from nipper.core.cold import record as cold
from nipper.core.imbalance import moved, swap
from nipper.core.link import record as link
from nipper.core.logs import builds, looked
from nipper.core.report.assembly import capacity_words
from nipper.core.upkeep import screen, trips


def event_words(kind: str, note: str) -> str:
    """The event in words."""
    if kind == link.LOSS:
        proof = link.parse(note)
        return note if proof is None else proof.words
    if kind == capacity.KIND:
        result = capacity.parse_result(note)
        return note if result is None else f"capacity test: {capacity_words(result)}"
    if kind == trips.KIND:
        return trips.words(note)
    if kind == screen.KIND:
        shown = screen.parse(note)
        return note if shown is None else shown.words
    if kind == swap.KIND:
        exchange = swap.parse(note)
        return note if exchange is None else exchange.words
    if kind == builds.KIND:
        change = builds.parse(note)
        return note if change is None else change.words
    if kind == moved.KIND:
        charge = moved.parse(note)
        return note if charge is None else charge.words
    if kind in (looked.CELL, looked.SENSOR):
        found = looked.parse(kind, note)
        return note if found is None else found.words
    return cold.event_words(kind, note)
