"""The bench's story: everything that happened, in one line of time."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from enum import StrEnum
from typing import Any

from nipper.core.upkeep.kept import findings

DAY_S = 86400.0


class Kind(StrEnum):
    """What an entry tells of."""

    SETTINGS = "settings"
    DONE = "done"
    PROOF = "proof"
    TEST = "test"
    FOUND = "found"
    LOG = "log"
    FAULT = "fault"


KIND_OF = {
    "cold-proof": Kind.PROOF, "link-loss": Kind.PROOF, "commissioned": Kind.PROOF,
    "capacity-test": Kind.TEST, "sense-leads": Kind.TEST, "trip-counters": Kind.TEST,
    "screen-reading": Kind.TEST, "cell-measured": Kind.TEST, "sensor-elsewhere": Kind.TEST,
    "meter-walk": Kind.FAULT,
}  # fmt: skip


@dataclass(frozen=True, slots=True)
class Entry:
    """One thing that happened: when, Unix seconds; what kind; in words; which pack, "" for all."""

    time_s: float
    kind: Kind
    text: str
    pack: str = ""


def events(found: Sequence[tuple[float, str, str, str]]) -> list[Entry]:
    """Events as (time_s, pack, kind, words)."""
    return [Entry(at, KIND_OF.get(kind, Kind.DONE), words, pack) for at, pack, kind, words in found]


def revisions(found: Sequence[tuple[float, str, str, str]]) -> list[Entry]:
    """Revisions as (time_s, pack, kind, note)."""
    return [
        Entry(at, Kind.SETTINGS, f"settings {kind}{f': {note}' if note else ''}", pack)
        for at, pack, kind, note in found
    ]


def diagnoses(pack: str, found: Sequence[tuple[float, dict[str, Any]]]) -> list[Entry]:
    """Kept diagnoses of a pack: what was found, and when it was gone again."""
    out: list[Entry] = []
    before: dict[tuple[str, tuple[int, ...]], str] = {}
    for at, document in found:
        now = findings(document)
        out += [
            Entry(at, Kind.FOUND, words, pack) for key, words in now.items() if key not in before
        ]
        out += [
            Entry(at, Kind.FOUND, f"no longer seen: {words}", pack)
            for key, words in before.items()
            if key not in now
        ]
        if not now and before:
            out.append(Entry(at, Kind.FOUND, "nothing stands out any more", pack))
        before = now
    return out


def logs(found: Sequence[tuple[str, str, float, int, float, float]]) -> list[Entry]:
    """Imported logs as (pack, file, imported_s, rows, first_s, last_s)."""
    return [
        Entry(at, Kind.LOG, f"log {file} read: {rows:,} rows, {(last - first) / DAY_S:.0f} days",
              pack)
        for pack, file, at, rows, first, last in found
    ]  # fmt: skip


def story(*parts: Sequence[Entry]) -> list[Entry]:
    """All of it, newest first."""
    return sorted((e for part in parts for e in part), key=lambda e: -e.time_s)


def searched(entries: Sequence[Entry], words: str, say: Callable[[str], str] = str) -> list[Entry]:
    """Those that hold every word, in any order, whatever its case; ``say``: a text as it is looked
    through.
    """
    wanted = words.lower().split()
    return [
        e for e in entries
        if all(w in f"{say(e.text)} {say(str(e.kind))} {e.pack}".lower() for w in wanted)
    ]  # fmt: skip
