"""Tables that are not a row a moment: brought into that shape before their columns are judged.

Repeated headings go, a list in one column becomes a column a value, a row a reading becomes a row a
moment, and of several packs below each other one is taken.
"""

import re
from collections.abc import Sequence
from dataclasses import replace
from functools import cache
from itertools import pairwise

import numpy as np
import polars as pl

from nipper.core.errors import ChoiceError, InputError
from nipper.core.logs import words
from nipper.core.logs.begins import numbered_rows
from nipper.core.logs.clocktext import clocks_only, dates_only, possible_forms
from nipper.core.logs.column import Column, columns_of
from nipper.core.logs.dateparts import upright, whole_dates
from nipper.core.logs.extremes import spread_out
from nipper.core.logs.families import find_families
from nipper.core.logs.fields import parted
from nipper.core.tables.numbers import looks_numeric
from nipper.core.tables.table import Table

MOST_KEYS = 400
MOST_HEADINGS, LIMIT = 200, 10_000
MEASURED_VALUE = re.compile(r"-?\d+[.,]\d+ ?(?:m?[VAW]|Ah|°?C|%)?", re.IGNORECASE)
MOST_PACKS = 32
FORMS_LOOKED_AT = 300
FEW = 40  # texts that tell names from numbers
MEASURED = (words.STATUS, words.CELL, words.SOC, words.CURRENT, words.POWER)  # no name of a pack


def shaped(table: Table, pack: str | None) -> tuple[Table, list[str]]:
    """The table as a row a moment of one pack, and what was done to it.

    Raises
    ------
    InputError
        It holds several packs, and none is chosen.
    """
    table, told = upright(table)
    table, moved = _with_headings_anew(_without_blank_rows(table))
    told += moved
    table = _without_repeated_headings(table)
    table = _once(table)
    table, joined = whole_dates(table)
    table, counted = numbered_rows(table)
    told += joined + counted
    table, wrapped = parted(table)
    told += wrapped
    table, chosen = _one_pack(table, pack)
    told += chosen
    if not _has_cells(columns_of(table)):
        if (spread := spread_out(table)) is not None:
            return spread[0], [*told, spread[1]]
        wide = _widened(table)
        if wide is not None:
            table = wide
            told.append("a row a reading: put together by their times")
            table, chosen = _one_pack(table, pack)
            told += chosen
    return table, told


def _has_cells(columns: Sequence[Column]) -> bool:
    return bool(find_families(columns))


def _without_repeated_headings(table: Table) -> Table:
    """Rows that repeat the heading, or the row of units, go."""
    same = [pl.col(c).str.strip_chars() == c for c in table.columns]
    if not same:
        return table
    count = pl.sum_horizontal(e.fill_null(False).cast(pl.Int32) for e in same)
    repeated = table.frame.select(count >= max(2, len(same) // 2)).to_series()
    if not repeated.any():
        return table
    lost = int(repeated.sum())
    return table.with_frame(table.frame.filter(~repeated), (lost, "headings repeated"))


def _without_blank_rows(table: Table) -> Table:
    """Rows in which nothing stands go: they are no moments."""
    first = table.frame.to_series(0).fill_null("").str.strip_chars() if table.columns else None
    if first is None or not (first == "").any():
        return table
    blank = pl.all_horizontal(pl.all().str.strip_chars().fill_null("") == "")
    return replace(table.with_frame(table.frame.filter(~blank)), first_line=0)


def _with_headings_anew(table: Table) -> tuple[Table, list[str]]:
    """Rows below a heading that names the same columns in another order, in the first one's order.

    Raises
    ------
    InputError
        It names other columns.
    """
    names = table.columns
    if not names:
        return table, []
    begins = table.frame.to_series(0).str.strip_chars().is_in(names).fill_null(False)
    said = {at: set(names) & set(table.frame.row(at)) for at in begins.arg_true().to_list()[:LIMIT]}
    found = [at for at, own in said.items() if len(own) >= max(3, len(names) // 2)]
    found = [at for at in found if not _repeats(table.frame.row(at), names)]
    if not found or len(found) > MOST_HEADINGS:
        return table, []
    parts = [table.frame[: found[0]]]
    for at, end in pairwise([*found, table.rows]):
        order = [(text or "").strip() for text in table.frame.row(at)]
        if sorted(order) != sorted(names):
            expected = f"the columns of the heading above, in any order; found {order[0]}, …"
            raise InputError(table.file, table.place(at, names[0]), expected)
        body = table.frame[at + 1 : end]
        parts.append(body.rename(dict(zip(names, order, strict=True))).select(names))
    told = "headings in another order: the rows below each are read by it"
    return table.with_frame(pl.concat(parts), (len(found), "headings repeated")), [told]


def _repeats(row: Sequence[str | None], names: Sequence[str]) -> bool:
    return all(not text or text.strip() in ("", n) for text, n in zip(row, names, strict=True))


def _once(table: Table) -> Table:
    """Of a table in which each row stands twice or more, one of each."""
    some = table.frame.head(FORMS_LOOKED_AT)
    if some.height < 2 or some.n_unique() > 0.5 * some.height + 1:
        return table
    once = table.frame.unique(maintain_order=True)
    times, left = divmod(table.rows, once.height)
    if times < 2 or left:
        return table
    return table.with_frame(once, (table.rows - once.height, "that stand there already"))


def time_columns(table: Table) -> list[str]:
    """The columns that hold moments, or the two that do together; as they are written."""
    head = table.frame.head(FORMS_LOOKED_AT)
    found: list[str] = []
    parts: list[str] = []
    for name in table.columns:
        texts = head.get_column(name).to_list()
        if possible_forms(texts):
            found.append(name)
        elif dates_only(texts) or clocks_only(texts):
            parts.append(name)
    if found:
        return sorted(found, key=lambda c: not words.TIME.search(words.plain(c)))[:1]
    if len(parts) >= 2:
        return parts[:2]
    named = [c for c in table.columns if words.TIME.search(words.plain(c))]
    return parts or named[:1]


def _one_pack(table: Table, pack: str | None) -> tuple[Table, list[str]]:
    """The rows of one pack, where a column says which pack each row is of."""
    when = time_columns(table)
    has_cells = cache(lambda: _has_cells(columns_of(table)))  # of a wide table that takes a second
    for name in table.columns:
        plain = words.plain(name)
        if name in when or not (
            words.PACK_ID.search(plain) or (_parts_moments(table, when, name) and has_cells())
        ):
            continue
        if any(kind.search(plain) for kind in MEASURED) or words.unit_in(name):
            continue
        ids = table.text(name).str.strip_chars()
        values = [v for v in ids.drop_nulls().unique(maintain_order=True).head(40).to_list() if v]
        if not 2 <= len(values) <= MOST_PACKS or not _are_ids(values, ids):
            continue
        if has_cells() and not _cells_of_several(table, name):
            return _of_one_moment(table, when, name)
        if not has_cells() and not _measured_apart(table, name, values):
            continue
        if pack is None:
            raise _which(table, name, values)
        chosen = match_pack(pack, values)
        if chosen is None:
            raise _which(table, name, values)
        rows = table.frame.filter(ids == chosen)
        return table.with_frame(rows), [f"only {name} {chosen} of {len(values)} packs"]
    return table, []


def _of_one_moment(table: Table, when: Sequence[str], name: str) -> tuple[Table, list[str]]:
    """Rows of several kinds, each with columns of its own, as one a moment; as they stand where a
    kind comes more than once in it.
    """
    if table.frame.select([*when, name]).n_unique() < table.rows:
        return table, []
    first = pl.all().replace("", None).drop_nulls().first()
    rows = table.frame.drop(name).group_by(when, maintain_order=True).agg(first)
    whole = table.with_frame(rows.select(c for c in table.columns if c != name))
    told = f"{name}: kinds of rows, put together by their times"
    return replace(whole, first_line=0), [told]


def _cells_of_several(table: Table, name: str) -> bool:
    """Whether cells stand in the rows of more than one: else it names kinds of rows."""
    cells = find_families(columns_of(table))[0].names
    written = pl.any_horizontal(pl.col(cells).str.strip_chars().ne("").fill_null(False)).any()
    own = table.frame.group_by(name).agg(written.alias("cells in it"))
    return int(own.get_column("cells in it").sum()) > 1


def _parts_moments(table: Table, when: Sequence[str], name: str) -> bool:
    """Whether rows of one moment differ by this column, and only so."""
    kinds = table.text(name).n_unique()
    if not when or not 2 <= kinds <= MOST_PACKS:
        return False
    moments = table.frame.select(when).n_unique()
    if moments > 0.7 * table.rows:
        return False
    return table.frame.select([*when, name]).n_unique() > 0.95 * table.rows


def _are_ids(values: Sequence[str], ids: pl.Series) -> bool:
    """Names or whole numbers, each many times; no measurement."""
    if any(MEASURED_VALUE.fullmatch(v) for v in values):
        return False
    return len(ids) >= 2 * len(values)


def _measured_apart(table: Table, name: str, values: Sequence[str]) -> bool:
    """Of a row a reading, whether these are names of packs: rows on change of one pack's name only
    (a key of a reading) are none.
    """
    texts = table.frame.group_by(name).agg(pl.len())
    keyed = [c for c in table.columns if c != name and table.text(c).n_unique() <= MOST_KEYS]
    named = [words.plain(v) for v in values]
    cell_like = any(words.CELL.search(v) or words.VOLTAGE.search(v) for v in named)
    return texts.height >= 2 and not cell_like and len(keyed) >= 1 and _other_keys(table, name)


def _other_keys(table: Table, name: str) -> bool:
    """Whether another column names the readings, so that this one can name packs."""
    for other in table.columns:
        if other == name:
            continue
        texts = table.text(other).drop_nulls()
        kinds = texts.n_unique()
        if 2 <= kinds <= MOST_KEYS and len(texts) >= 4 * kinds:
            sample = [str(t) for t in texts.unique().head(20).to_list()]
            cells = words.CELL.search(words.plain(other))
            if cells or not all(looks_numeric(t) for t in sample):
                return True
    return False


def _which(table: Table, name: str, values: Sequence[str]) -> ChoiceError:
    names = ", ".join(values[:8])
    text = f"one pack, it names {names}"
    return ChoiceError(table.file, f"column {name}", text, "--pack", values)


def match_pack(wanted: str, names: Sequence[str]) -> str | None:
    """The pack a word means: by its whole name, or by the part that tells it from the others."""
    clean = wanted.strip().lower()
    for name in names:
        if name.lower() == clean:
            return name
    ends = [n for n in names if clean.split()[-1:] == n.lower().split()[-1:]]
    return ends[0] if len(ends) == 1 else None


def _widened(table: Table) -> Table | None:
    """A row a reading as a row a moment; None where the table is none of that kind."""
    when = time_columns(table)
    if not when:
        return None
    others = [c for c in table.columns if c not in when]
    best: tuple[int, Table] | None = None
    keys = [c for c in others if not words.unit_in(c) and not _of_an_end(c)]
    values: list[str] | None = None  # looked for once there is a key
    # of two that tell as many cells the one with names says what the others are as well
    for key in sorted(keys, key=lambda c: _numbered(table, c)):
        texts = table.text(key).drop_nulls()
        kinds = texts.n_unique()
        if not 2 <= kinds <= MOST_KEYS or len(texts) < 2 * kinds or not _are_keys(texts):
            continue
        if values is None:
            values = [c for c in others if _holds_values(table, c)]
        for value in values:
            if value == key:
                continue
            wide = _pivoted(table, when, key, value, others)
            cells = max((len(f.columns) for f in find_families(columns_of(wide))), default=0)
            if cells >= 2 and (best is None or cells > best[0]):
                best = cells, wide
    return best[1] if best else None


def _of_an_end(name: str) -> bool:
    """Whether a heading speaks of the highest or the lowest: its numbers are no keys."""
    plain = words.plain(name)
    return bool(words.HIGHEST.search(plain) or words.LOWEST.search(plain))


def _numbered(table: Table, name: str) -> bool:
    return all(looks_numeric(t) for t in table.text(name).drop_nulls().head(FEW).to_list())


def _are_keys(texts: pl.Series) -> bool:
    """Names, or the numbers of cells; no measurement."""
    distinct = [t.strip() for t in texts.unique().head(MOST_KEYS).to_list()]
    if not any(looks_numeric(t) for t in distinct):
        return True
    if not all(re.fullmatch(r"[0-9]{1,3}", t) for t in distinct):
        return False
    numbers = sorted(map(int, distinct))
    runs = numbers[-1] - numbers[0] < 2 * len(numbers)
    return runs and numbers[0] % 100 in (0, 1)  # 1 to 16, or 101 to 116 in the first pack


def _holds_values(table: Table, name: str) -> bool:
    texts = [t for t in table.text(name).drop_nulls().head(400).to_list() if t.strip()]
    numeric = sum(looks_numeric(t) for t in texts)
    return bool(texts) and numeric >= 0.5 * len(texts) and table.text(name).n_unique() > 5


def _pivoted(
    table: Table, when: Sequence[str], key: str, value: str, others: Sequence[str]
) -> Table:
    """One column a key. Other columns stay where they say one thing a moment."""
    named = table.frame.with_columns(_key_names(table, key, value).alias(key))
    named = named.filter(~pl.col(key).is_in(list(when)) | pl.col(key).is_null())
    kept = [c for c in others if c not in (key, value) and not _is_unit_column(table, c)]
    index = list(when)
    rest = [pl.col(c).first() for c in kept]
    wide = named.drop_nulls(key).pivot(
        on=key, index=index, values=value, aggregate_function="first", maintain_order=True
    )
    if rest:
        once = named.group_by(index, maintain_order=True).agg(rest)
        clash = {c: f"{c} (row)" for c in kept if c in wide.columns}
        wide = wide.join(once.rename(clash), on=index, how="left", maintain_order="left")
    decimal = table.mark(value)
    return replace(table.with_frame(wide), decimal=decimal, units={})


def _is_unit_column(table: Table, name: str) -> bool:
    texts = table.text(name).drop_nulls().unique().head(20).to_list()
    return bool(texts) and all(words.unit_of(t) and not looks_numeric(t) for t in texts)


def _key_names(table: Table, key: str, value: str) -> pl.Series:
    """Names of the columns to be: the key, with its own heading where it is a bare number, and
    with the unit that stands beside it.
    """
    texts = table.text(key).str.strip_chars()
    sample = texts.drop_nulls().unique().head(MOST_KEYS).to_list()
    if all(re.fullmatch(r"\d+", t) for t in sample):
        return f"{key} " + texts + f" {value}"
    unit = next((c for c in table.columns if c != key and _is_unit_column(table, c)), None)
    if unit is None:
        return texts
    return texts + " [" + table.text(unit).fill_null("") + "]"


def hold_s_of(filled: np.ndarray, time_s: np.ndarray) -> float:
    """How long a value may stand for the moments after it: ten times its usual interval, between a
    minute and an hour.

    Parameters
    ----------
    filled : bool[n, cells], where a cell has a value
    time_s : float64[n], rising
    """
    waits = [
        float(np.median(np.diff(time_s[column])))
        for column in filled.T
        if np.count_nonzero(column) > 3
    ]
    return float(np.clip(10.0 * float(np.median(waits)) if waits else 60.0, 60.0, 3600.0))
