"""What happened to a bench: revisions of its settings, events, and diagnoses, each with its
date.
"""

import json
import sqlite3
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import cast

from nipper.core.setup import Setup, dumps, loads_kept
from nipper.store.file import BenchFile


@dataclass(frozen=True, slots=True)
class Revision:
    """The settings at one time: ``kind`` is draft, typed in or read back; of which pack's BMS, None
    of all.
    """

    id: int
    time_s: float
    kind: str
    note: str
    setup: Setup
    pack: int | None = None


@dataclass(frozen=True, slots=True)
class BenchEvent:
    """What was done and when: bars retorqued, absorption lengthened. ``pack`` None means all."""

    id: int
    time_s: float
    pack: int | None
    kind: str
    note: str


class History:
    """Revisions, events and diagnoses of a bench."""

    def __init__(self, file: BenchFile, clock: Callable[[], float]) -> None:
        self._file, self._clock = file, clock
        self._read: tuple[object, list[Revision]] = None, []  # rows, and what was made of them

    def add_revision(
        self,
        kind: str,
        note: str,
        setup: Setup,
        time_s: float | None = None,
        pack: int | None = None,
    ) -> None:
        """Keep the settings as a dated revision: ``kind`` is draft, typed in or read back."""
        with self._file.write() as db:
            insert_revision(db, self._at(time_s), kind, note, setup, pack)

    def revision_times(self, kind: str, pack: int) -> list[float]:
        """When revisions of a kind were made of a pack, oldest first."""
        rows = self._file.known(
            "SELECT time_s FROM revisions WHERE kind = ? AND (pack IS NULL OR pack = ?) "
            "ORDER BY time_s, id",
            (kind, pack),
        )
        return [t for (t,) in rows]

    def revisions(self) -> list[Revision]:
        """All revisions, oldest first."""
        rows = self._file.known(
            "SELECT id, time_s, kind, note, setup, pack FROM revisions ORDER BY time_s, id"
        )
        if rows is not self._read[0]:
            made = [
                Revision(i, t, kind, note, loads_kept(text, str(self._file.path))[0], pack)
                for i, t, kind, note, text, pack in rows
            ]
            self._read = rows, made
        return list(self._read[1])

    def events(self) -> list[BenchEvent]:
        """All events, oldest first."""
        return [
            BenchEvent(*row)
            for row in self._file.known(
                "SELECT id, time_s, pack, kind, note FROM events ORDER BY time_s, id"
            )
        ]

    def add_event(self, time_s: float, kind: str, note: str, pack: int | None = None) -> None:
        """Note what was done."""
        with self._file.write() as db:
            db.execute(
                "INSERT INTO events (time_s, pack, kind, note) VALUES (?, ?, ?, ?)",
                (time_s, pack, kind, note),
            )

    def remove_event(self, event: int) -> None:
        """Take an event out again."""
        with self._file.write() as db:
            db.execute("DELETE FROM events WHERE id = ?", (event,))

    def add_diagnosis(
        self, pack: int, document: Mapping[str, object], time_s: float | None = None
    ) -> None:
        """Keep a diagnosis with its date, so that the next one can tell what changed."""
        with self._file.write() as db:
            db.execute(
                "INSERT INTO diagnoses (time_s, pack, document) VALUES (?, ?, ?)",
                (self._at(time_s), pack, json.dumps(document)),
            )

    def diagnoses(self, pack: int) -> list[tuple[float, dict[str, object]]]:
        """Kept diagnoses of a pack, oldest first: time and document. One that was made elsewhere
        and is none is passed over.
        """
        rows = self._file.known(
            "SELECT time_s, document FROM diagnoses WHERE pack = ? ORDER BY time_s, id", (pack,)
        )
        found = [(t, _document(text)) for t, text in rows]
        return [(t, document) for t, document in found if document is not None]

    def _at(self, time_s: float | None) -> float:
        return self._clock() if time_s is None else time_s


def _document(text: str) -> dict[str, object] | None:
    try:
        found = json.loads(text)
    except (ValueError, TypeError, RecursionError):
        return None
    return cast("dict[str, object]", found) if isinstance(found, dict) else None


def insert_revision(
    db: sqlite3.Connection,
    time_s: float,
    kind: str,
    note: str,
    setup: Setup,
    pack: int | None = None,
) -> None:
    """Add a revision within a transaction."""
    db.execute(
        "INSERT INTO revisions (time_s, kind, note, setup, pack) VALUES (?, ?, ?, ?, ?)",
        (time_s, kind, note, dumps(setup), pack),
    )
