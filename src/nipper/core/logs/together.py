"""Several tables of one file as one: a sheet a month, a file a cell, the current in one and the
cells in another.
"""

import re
from dataclasses import replace
from itertools import pairwise
from pathlib import PurePath

import numpy as np
import polars as pl

from nipper.core.logs import words
from nipper.core.logs.clocktext import possible_forms
from nipper.core.logs.shapes import time_columns
from nipper.core.logs.times import to_unix
from nipper.core.tables.table import Table

LEAST_FILES, MOST_COLUMNS_EACH = 3, 4  # of an archive with a file a reading
MOST_BESIDE = 8  # tables of the same moments
MOST_LATER = 4  # columns that a newer version writes as well
SHARED = 0.8  # of these
OVERLAP = 0.1  # of the shorter of two tables: more, and they are not one after the other


def beside(tables: list[Table]) -> list[Table]:
    """Tables of the same moments as one: a database keeps the cells in one, the current in another.
    Those in which a moment stands twice, or of which most moments stand in no other, stay apart.
    """
    if not 2 <= len(tables) <= MOST_BESIDE:
        return tables
    keys = [_moments(table) for table in tables]
    if None in keys or len(set(keys)) != 1:
        return tables
    key = str(keys[0])
    first, *others = sorted(tables, key=lambda t: t.rows, reverse=True)
    frame = first.frame
    for other in others:
        own = [c for c in other.columns if c == key or c not in frame.columns]
        shared = int(other.frame.get_column(key).is_in(frame.get_column(key).to_list()).sum())
        if len(own) < other.frame.width or shared < SHARED * first.rows:
            return tables
        frame = frame.join(other.frame, on=key, how="left", maintain_order="left")
    return [replace(first.with_frame(frame), part="")]


def _moments(table: Table) -> str | None:
    """The column of the moments, where each stands once."""
    names = time_columns(table)
    if len(names) != 1 or table.frame.get_column(names[0]).n_unique() < table.rows:
        return None
    return names[0]


def headed(tables: list[Table]) -> list[Table]:
    """Tables without headings under those of the one shape that is as wide: of a log in several
    files the first may be the only one that names its columns.
    """
    named = {tuple(t.columns) for t in tables if not _nameless(t)}
    shapes = {width: [s for s in named if len(s) == width] for width in map(len, named)}
    return [
        _under(t, as_wide[0])
        if _nameless(t) and len(as_wide := shapes.get(t.frame.width, [])) == 1
        else t
        for t in tables
    ]


def _under(table: Table, names: tuple[str, ...]) -> Table:
    return table.with_frame(table.frame.rename(dict(zip(table.columns, names, strict=True))))


def _nameless(table: Table) -> bool:
    return all(re.fullmatch(r"column \d+", name) for name in table.columns)


def same_shape(tables: list[Table]) -> list[Table]:
    """Tables with the same columns as one, in the order of their names, where one goes on after the
    other; those of the same time are of several packs, and stay apart.
    """
    groups: dict[tuple[str, ...], list[Table]] = {}
    for table in tables:
        groups.setdefault(tuple(table.columns), []).append(table)
    out: list[Table] = []
    for group in groups.values():
        if len(group) > 1 and not _one_after_another(group):
            out += group
            continue
        out.append(_put_together(group) if len(group) > 1 else group[0])
    return _of_two_versions(out)


def _put_together(group: list[Table]) -> Table:
    frame = pl.concat([t.frame for t in group], how="diagonal")
    lost = tuple(d for t in group for d in t.dropped)
    return replace(group[0], frame=frame, dropped=lost, part=f"{len(group)} of one shape")


def _of_two_versions(tables: list[Table]) -> list[Table]:
    """Two tables as one where one goes on after the other and only writes a few columns more."""
    if len(tables) != 2:
        return tables
    narrow, wide = sorted(tables, key=lambda t: len(t.columns))
    if not (_less_by_few(narrow, tuple(wide.columns)) and _one_after_another(tables)):
        return tables
    return [_put_together([wide, narrow])]


def _less_by_few(table: Table, names: tuple[str, ...]) -> bool:
    """Whether a table has the same columns, or all but a few that came to be written later; those
    with other cells are of another pack.
    """
    later = set(names) - set(table.columns)
    if not later or len(later) > MOST_LATER or not set(table.columns) < set(names):
        return False
    return not any(words.CELL.search(plain) for plain in map(words.plain, later))


def a_file_a_reading(tables: list[Table]) -> Table | None:
    """Tables of one shape, each of one reading (a file a cell), as one with a row a reading; None
    where there are too few of them. One of two columns too may name its reading in the heading.
    """
    shapes = [tuple(t.columns) for t in tables]
    usual = max(shapes, key=shapes.count, default=())
    group = [_named_alike(t, usual) for t in tables]
    group = [t for t in group if tuple(t.columns) == usual]
    if len(group) < LEAST_FILES or len(usual) > MOST_COLUMNS_EACH or not all(t.part for t in group):
        return None
    names = [PurePath(t.part).stem for t in group]
    if len(set(names)) < len(names):
        return None
    of = [pl.lit(name).alias("reading") for name in names]
    frames = [t.frame.with_columns(o) for t, o in zip(group, of, strict=True)]
    lost = tuple(d for t in group for d in t.dropped)
    return replace(group[0], frame=pl.concat(frames), dropped=lost, part="", units={})


def _named_alike(table: Table, usual: tuple[str, ...]) -> Table:
    """A table of a time and a reading whose heading names it, as those of ``usual``."""
    if len(usual) != 2 or len(table.columns) != 2 or table.columns[0] != usual[0]:
        return table
    reading = table.columns[1]
    if reading == usual[1]:
        return table
    frame = table.frame.rename({reading: usual[1]})
    return replace(table.with_frame(frame), part=f"{PurePath(table.part).stem} {reading}")


def _one_after_another(tables: list[Table]) -> bool:
    """Whether the stretches of time of some tables do not lie over each other."""
    spans = sorted(span for table in tables if (span := _span(table)) is not None)
    if len(spans) < len(tables):
        return False
    return all(
        this[1] - following[0] <= OVERLAP * min(this[1] - this[0], following[1] - following[0])
        for this, following in pairwise(spans)
    )


def _span(table: Table) -> tuple[float, float] | None:
    """From when to when a table goes, Unix s; None where its times cannot be read by themselves."""
    names = time_columns(table)
    if not names:
        return None
    text = table.text(names[0])
    for other in names[1:]:
        text = text + " " + table.text(other)
    forms = possible_forms(text.drop_nulls().head(500).to_list())
    times = to_unix(text, forms[0], "UTC") if forms else np.empty(0)
    known = times[np.isfinite(times)]
    return (float(known.min()), float(known.max())) if known.size else None
