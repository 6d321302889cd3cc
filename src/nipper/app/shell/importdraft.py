"""A file on its way in: the table, how it is read, the log it makes or what stands in the way."""

from collections.abc import Callable
from dataclasses import dataclass, field, replace
from pathlib import Path

from nipper.core.errors import ChoiceError, InputError, NipperError
from nipper.core.logs.begins import begun
from nipper.core.logs.mapping import ColumnMapping, shape_key
from nipper.core.logs.model import Log
from nipper.core.logs.oddities import Oddity, oddities, of_temperatures
from nipper.core.logs.propose import Options, Proposal
from nipper.core.logs.reader import chosen, read_proposal
from nipper.core.logs.reading import Reading
from nipper.core.logs.values import times_as_written
from nipper.core.setup import Setup
from nipper.core.tables.read import read_table
from nipper.core.tables.table import Table
from nipper.store import Bench


@dataclass(frozen=True, eq=False, slots=True)
class Draft:
    """A file as read so far. ``choices`` are packs or tables of which one must be named first."""

    table: Table
    mapping: ColumnMapping
    remembered: bool
    log: Log | None
    odd: tuple[Oddity, ...]
    trouble: str
    file: str = ""
    reading: Reading | None = None
    why: dict[str, str] = field(default_factory=dict[str, str])
    choices: tuple[str, ...] = ()


def options_of(setup: Setup | None, zone: str, choice: str | None = None) -> Options:
    """What the setup says about a table beforehand; ``choice`` names a pack or a table."""
    cells, capacity = (setup.cells, setup.capacity_ah) if setup else (None, None)
    return Options(otherwise_zone=zone, cells=cells, capacity_ah=capacity, pack=choice)


def read_draft(
    path: str,
    bench: Bench | None,
    setup: Setup | None,
    zone: str,
    choice: str | None = None,
) -> Draft:
    """Read a file and understand it as well as can be; runs in a worker thread.

    ``zone`` is the one taken where the file says none; that is told.
    """
    try:
        found = _chosen(path, options_of(setup, zone, choice), choice)
    except InputError as error:
        choices = error.choices if isinstance(error, ChoiceError) else ()
        return _unread(path, zone, f"{error.place}: expected {error.expected}", choices)
    # the columns of another pack of the same file may be the ones that were confirmed last
    remembered = bench is not None and choice is None
    known = bench.logs.mapping(shape_key(found.table.columns)) if bench and remembered else None
    if known:
        mapping = replace(ColumnMapping.from_json(known), begins=None)  # of the file before
        found = Proposal(found.table, begun(found.table, mapping), told=found.told)
    return understand(found, known is not None, setup, path)


def _chosen(path: str, options: Options, choice: str | None) -> Proposal:
    """The choice is a pack, or else a table of the file."""
    try:
        return chosen(path, options)
    except ChoiceError as error:
        if choice is None or choice not in error.choices:
            raise
        return chosen(path, replace(options, pack=None, part=choice))


def _unread(path: str, zone: str, trouble: str, choices: tuple[str, ...]) -> Draft:
    """A table that is not understood: its columns can be named by hand."""
    table = read_table(path)
    mapping = ColumnMapping(time="", time_form="iso", cells=(), zone=zone)
    return Draft(table, mapping, False, None, (), trouble, path, choices=choices)


def understand(found: Proposal, remembered: bool, setup: Setup | None, file: str = "") -> Draft:
    """Read a table through a mapping."""
    mapping, why = found.mapping, found.why
    if not mapping.time or not mapping.cells:
        missing = "the time" if not mapping.time else "the cells"
        trouble = f"{file}: name {missing} among the columns"
        return Draft(found.table, mapping, remembered, None, (), trouble, file, why=why)
    try:
        read = read_proposal(found, setup.capacity_ah if setup else None)
    except NipperError as error:
        return Draft(found.table, mapping, remembered, None, (), str(error), file, why=why)
    raw = times_as_written(found.table, mapping)
    odd = oddities(read.log, setup, raw)
    odd += of_temperatures(mapping.other_temps)
    return Draft(
        found.table, mapping, remembered, read.log, tuple(odd), "", file, read.reading, why
    )


def take_over(bench: Bench, pack: int, draft: Draft, tick: Callable[[float], None]) -> int:
    """Add the draft's log to a pack of a bench; returns how many rows were new."""
    assert draft.log is not None
    document = draft.mapping.to_json()
    added = bench.logs.add(pack, draft.log, Path(draft.file).name, document, tick)
    bench.logs.remember_mapping(shape_key(draft.table.columns), document)
    return added
