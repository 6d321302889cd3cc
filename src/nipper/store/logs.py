"""The imported logs of a bench, as compressed stretches, and how their tables were read."""

import json
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from itertools import pairwise
from math import isfinite
from typing import TYPE_CHECKING

import numpy as np

from nipper.core.errors import InputError
from nipper.core.parallel import side_by_side
from nipper.store.file import BenchFile

if TYPE_CHECKING:
    from nipper.core.logs.averages import Span
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


AT_ONCE = 2  # stretches


def _can_be(first_s: object, last_s: object, rows: object) -> bool:
    """Whether a stretch may be listed so: a column of the base may hold anything."""
    times = [x for x in (first_s, last_s) if isinstance(x, float | int) and isfinite(x)]
    return len(times) == 2 and isinstance(rows, int) and rows > 0


def _unlisted() -> InputError:
    return InputError("the bench", "a stretch of samples", "one that is listed")


class Logs:
    """The logs of a bench."""

    def __init__(self, file: BenchFile, clock: Callable[[], float]) -> None:
        self._file, self._clock = file, clock
        self._cells: dict[int, int] = {}  # in series, of stretches that were looked at

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
        """All samples of a pack, in order of time; None when it has none. More than can be held
        come as means of some seconds (``averaged_s``).

        Parameters
        ----------
        as_now : a stretch as one of the pack as it is built now, None to leave it out
        """
        from nipper.core.logs.averages import averaged, fitting_width_s
        from nipper.core.logs.model import join

        listed = self._listed(pack)
        cells = self._cells_in(listed[0][0]) if listed else 0
        width_s = fitting_width_s([span for _, span in listed], cells)
        stretches: list[Log] = []
        done = 0

        def read(entry: "tuple[int, Span]") -> "Log | None":
            stretch = as_now(self._stretch(*entry))
            return None if stretch is None else averaged(stretch, width_s)

        def take(stretch: "Log | None") -> None:
            nonlocal done
            done += 1
            if stretch is not None:
                stretches.append(stretch)
            tick(done / len(listed))

        side_by_side(read, listed, take)
        return join(stretches) if stretches else None

    def pieces(
        self, pack: int, as_now: "Callable[[Log], Log | None]" = lambda log: log
    ) -> "Iterator[Log]":
        """All samples of a pack as they were recorded, in order of time, some stretches at once:
        for what is too long to be held.
        """
        from nipper.core.logs.model import join

        listed = self._listed(pack)
        cuts = [span.first_s for _, span in listed[::AT_ONCE]] + [np.inf]
        for begins_s, ends_s in pairwise(cuts):
            here = [e for e in listed if e[1].first_s < ends_s and e[1].last_s >= begins_s]
            whole = [as_now(self._stretch(*entry)) for entry in here]
            kept = [stretch for stretch in whole if stretch is not None]
            if kept:
                log = join(kept)
                yield log.select((log.time_s >= begins_s) & (log.time_s < ends_s))

    def _listed(self, pack: int) -> "list[tuple[int, Span]]":
        """The stretches of a pack, in order of their first moments."""
        from nipper.core.logs.averages import Span

        found = self._file.rows(
            "SELECT chunks.id, chunks.first_s, chunks.last_s, chunks.rows FROM chunks JOIN logs "
            "ON logs.id = chunks.log WHERE logs.pack = ? ORDER BY chunks.first_s",
            (pack,),
        )
        if not all(_can_be(*span) for _, *span in found):
            raise _unlisted()
        return [(chunk, Span(*span)) for chunk, *span in found]

    def _data(self, chunk: int) -> bytes:
        data = self._file.rows("SELECT data FROM chunks WHERE id = ?", (chunk,))
        if not data:  # a damaged index lists it
            raise _unlisted()
        return data[0][0]

    def _stretch(self, chunk: int, span: "Span") -> "Log":
        """A stretch, which must be what it is listed as: by that memory is shared out."""
        from nipper.store import chunks

        log = chunks.unpack(self._data(chunk))
        if log.rows != span.rows or (log.rows and _span(log) != (span.first_s, span.last_s)):
            raise _unlisted()
        self._cells[chunk] = log.cells
        return log

    def _cells_in(self, chunk: int) -> int:
        from nipper.store import chunks

        if chunk not in self._cells:
            self._cells[chunk] = chunks.cells(self._data(chunk))
        return self._cells[chunk]

    def short(self, pack: int, most_rows: int) -> "list[Log]":
        """The logs of a pack that hold no more than so many rows, oldest first."""
        from nipper.store import chunks

        rows = self._file.rows(
            "SELECT chunks.data FROM chunks JOIN logs ON logs.id = chunks.log WHERE "
            "logs.pack = ? AND logs.rows <= ? ORDER BY chunks.first_s",
            (pack, most_rows),
        )
        return [chunks.unpack(data) for (data,) in rows]

    def cells(self, pack: int) -> dict[int, int]:
        """How many cells in series each imported log of a pack is of, by its number."""
        first = self._file.rows(
            "SELECT chunks.log, MIN(chunks.id) FROM chunks JOIN logs ON logs.id = chunks.log "
            "WHERE logs.pack = ? GROUP BY chunks.log",
            (pack,),
        )
        return {log: self._cells_in(chunk) for log, chunk in first}

    def all(self) -> list[ImportedLog]:
        """What was imported, oldest import first."""
        return [
            ImportedLog(*row)
            for row in self._file.rows(
                "SELECT id, pack, file, imported_s, rows, first_s, last_s FROM logs ORDER BY id"
            )
        ]

    def remove(self, *logs: int) -> None:
        """Take imported logs out again, all or none."""
        with self._file.write() as db:
            for log in logs:
                db.execute("DELETE FROM chunks WHERE log = ?", (log,))
                db.execute("DELETE FROM logs WHERE id = ?", (log,))
        self._cells.clear()  # numbers are given again

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
