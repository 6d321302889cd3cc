"""The imported logs of a bench, as compressed stretches, and how their tables were read."""

import json
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from nipper.core.errors import InputError
from nipper.core.parallel import side_by_side
from nipper.store.file import BenchFile

if TYPE_CHECKING:
    from nipper.core.logs.model import Log


@dataclass(frozen=True, slots=True)
class ImportedLog:
    """A log file as it was imported."""

    id: int
    pack: int
    file: str
    imported_s: float
    rows: int
    first_s: float
    last_s: float


def _span(log: "Log") -> tuple[float, float]:
    return float(log.time_s[0]), float(log.time_s[-1])


class Logs:
    """The logs of a bench."""

    def __init__(self, file: BenchFile, clock: Callable[[], float]) -> None:
        self._file, self._clock = file, clock

    def add(
        self,
        pack: int,
        log: "Log",
        file: str,
        mapping: Mapping[str, object] | None = None,
        tick: Callable[[float], None] = lambda _share: None,
    ) -> int:
        """Add a log's samples to a pack in one transaction; moments already there add nothing.

        Returns the rows added.

        Parameters
        ----------
        tick : called with the fraction done; what it raises undoes the whole import
        """
        from nipper.store import chunks  # tables are a heavy import, and opening a bench needs none

        known = self._times(pack, *_span(log))
        if known.size:
            log = log.select(~np.isin(log.time_s, known))
        if not log.rows:
            return 0
        kept = None if mapping is None else json.dumps(mapping)

        def row(stretch: "Log") -> tuple[float, float, int, bytes]:
            return *_span(stretch), stretch.rows, chunks.pack(stretch)

        with self._file.write() as db:
            added = db.execute(
                "INSERT INTO logs (pack, file, imported_s, rows, first_s, last_s, "
                "mapping) VALUES (?, ?, ?, ?, ?, ?, ?)",
                (pack, file, self._clock(), log.rows, *_span(log), kept),
            ).lastrowid
            done = 0

            def take(chunk: tuple[float, float, int, bytes]) -> None:
                nonlocal done
                db.execute(
                    "INSERT INTO chunks (log, first_s, last_s, rows, data) VALUES (?, ?, ?, ?, ?)",
                    (added, *chunk),
                )
                done += chunk[2]
                tick(done / log.rows)

            side_by_side(row, chunks.split(log), take)
        return log.rows

    def _times(self, pack: int, first_s: float, last_s: float) -> np.ndarray:
        from nipper.store import chunks

        rows = self._file.rows(
            "SELECT chunks.data FROM chunks JOIN logs ON logs.id = chunks.log WHERE "
            "logs.pack = ? AND chunks.last_s >= ? AND chunks.first_s <= ?",
            (pack, first_s, last_s),
        )
        return np.concatenate([chunks.times(data) for (data,) in rows]) if rows else np.empty(0)

    def load(
        self,
        pack: int,
        tick: Callable[[float], None] = lambda _share: None,
        as_now: "Callable[[Log], Log | None]" = lambda log: log,
    ) -> "Log | None":
        """All samples of a pack, in order of time; None when it has none.

        Parameters
        ----------
        as_now : a stretch as one of the pack as it is built now, None to leave it out
        """
        from nipper.core.logs.model import join
        from nipper.store import chunks

        rows = self._file.rows(
            "SELECT chunks.id FROM chunks JOIN logs ON logs.id = chunks.log WHERE "
            "logs.pack = ? ORDER BY chunks.first_s",
            (pack,),
        )
        stretches: list[Log] = []
        for i, (chunk,) in enumerate(rows):
            data = self._file.rows("SELECT data FROM chunks WHERE id = ?", (chunk,))
            if not data:  # a damaged index lists it
                raise InputError("the bench", "a stretch of samples", "one that is listed")
            stretch = as_now(chunks.unpack(data[0][0]))
            if stretch is not None:
                stretches.append(stretch)
            tick((i + 1) / len(rows))
        return join(stretches) if stretches else None

    def short(self, pack: int, most_rows: int) -> "list[Log]":
        """The logs of a pack that hold no more than so many rows, oldest first."""
        from nipper.store import chunks

        rows = self._file.rows(
            "SELECT chunks.data FROM chunks JOIN logs ON logs.id = chunks.log WHERE "
            "logs.pack = ? AND logs.rows <= ? ORDER BY chunks.first_s",
            (pack, most_rows),
        )
        return [chunks.unpack(data) for (data,) in rows]

    def cells(self, log: int) -> int:
        """How many cells in series an imported log is of."""
        from nipper.store import chunks

        rows = self._file.rows("SELECT data FROM chunks WHERE log = ? LIMIT 1", (log,))
        return chunks.cells(rows[0][0]) if rows else 0

    def all(self) -> list[ImportedLog]:
        """What was imported, oldest import first."""
        return [
            ImportedLog(*row)
            for row in self._file.rows(
                "SELECT id, pack, file, imported_s, rows, first_s, last_s FROM logs ORDER BY id"
            )
        ]

    def remove(self, log: int) -> None:
        """Take an imported log out again."""
        with self._file.write() as db:
            db.execute("DELETE FROM chunks WHERE log = ?", (log,))
            db.execute("DELETE FROM logs WHERE id = ?", (log,))

    def mapping(self, shape: str) -> dict[str, object] | None:
        """The column mapping confirmed for files of that shape, or None."""
        rows = self._file.rows("SELECT mapping FROM mappings WHERE shape = ?", (shape,))
        return json.loads(rows[0][0]) if rows else None

    def remember_mapping(self, shape: str, mapping: Mapping[str, object]) -> None:
        """Keep a confirmed column mapping for files of that shape."""
        with self._file.write() as db:
            db.execute(
                "INSERT OR REPLACE INTO mappings VALUES (?, ?, ?)",
                (shape, json.dumps(mapping), self._clock()),
            )
