"""Several logs on their way in, a file a day or a month: the first is looked over, the others are
read as it was.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path

from nipper.app.shell.importdraft import Draft, read_draft, take_over
from nipper.core.errors import InputError
from nipper.core.report.consequence import count
from nipper.core.setup import Setup
from nipper.store import Bench

MOST_LOST = 0.2  # of a file's rows: more, and it is not written as the first one is
MOST_NAMED = 3


@dataclass(frozen=True, slots=True)
class Taken:
    """What came of several files: rows that were new, files taken over, and those left out, each
    with the reason.
    """

    rows: int
    files: int
    left: tuple[tuple[str, str], ...] = ()

    def told(self) -> str:
        """A sentence on it; empty where one file was taken over and has said so itself."""
        if not self.left:
            return f"{self.files} files taken in, {count(self.rows, 'new row')}." * (self.files > 1)
        named = "; ".join(f"{name}: {why}" for name, why in self.left[:MOST_NAMED])
        more = f"; and {len(self.left) - MOST_NAMED} more" * (len(self.left) > MOST_NAMED)
        return f"{count(self.files, 'file')} taken in, {len(self.left)} left out: {named}{more}."


def take_all(
    bench: Bench,
    pack: int,
    first: Draft,
    others: Sequence[str],
    reads: tuple[Setup | None, str],
    tick: Callable[[float], None] = lambda _share: None,
) -> Taken:
    """Add the first log to a pack, and each of the others that is read the same way; runs in a
    worker thread. Each file is one transaction.

    Parameters
    ----------
    reads : the setup and the zone with which the files are read
    tick : called with the fraction done; what it raises ends the work at that file
    """
    share = 1.0 / (1 + len(others))
    rows, left = take_over(bench, pack, first, lambda s: tick(share * s)), list[tuple[str, str]]()
    for i, path in enumerate(others, 1):
        draft, why = _read(path, first, bench, reads)
        tick(share * (i + 0.5))
        if draft is None:
            left.append((Path(path).name, why))
        else:
            rows += take_over(bench, pack, draft, lambda s, i=i: tick(share * (i + 0.5 + s / 2)))
    return Taken(rows, 1 + len(others) - len(left), tuple(left))


def _read(
    path: str, first: Draft, bench: Bench, reads: tuple[Setup | None, str]
) -> tuple[Draft | None, str]:
    """A file as the first one was understood, or why it is not to be."""
    try:
        draft = read_draft(path, bench, *reads)
    except InputError as error:
        return None, f"{error.place}: expected {error.expected}"
    why = unlike(draft, first)
    return (None, why) if why else (draft, "")


def unlike(draft: Draft, first: Draft) -> str:
    """Why a file is not to be taken over unseen after the first one; empty where it may be."""
    if draft.log is None or first.log is None:
        return draft.trouble.removeprefix(f"{draft.file}: ")
    if not draft.remembered:
        return "other columns"
    if draft.log.cells != first.log.cells:
        return count(draft.log.cells, "cell")
    if first.mapping.begins and not draft.mapping.begins:
        return "its day is not told"
    if draft.log.rows < (1.0 - MOST_LOST) * draft.table.rows:
        return f"{draft.log.rows} of its {draft.table.rows} rows can be read"
    known = {odd.kind for odd in first.odd}
    new = (o for o in draft.odd if o.weight == "doubt" and o.kind not in known)
    return next((odd.text.rstrip(".") for odd in new), "")
