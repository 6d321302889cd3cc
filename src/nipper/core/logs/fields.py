"""Fields that hold several things, with a column for each: lists of numbers, and a current with the
way it flows in words behind it.
"""

import re

import numpy as np
import polars as pl

from nipper.core.errors import InputError
from nipper.core.logs import words
from nipper.core.logs.clocktext import clocks_only, dates_only, possible_forms
from nipper.core.logs.ways import directions_of
from nipper.core.tables.numbers import decimal_mark, looks_numeric
from nipper.core.tables.read import table_of
from nipper.core.tables.table import Table

NUMBERED = re.compile(r"""^\w{0,30}?(\d{1,6})["']?\s*[:=]\s*""")  # of a list, by name
WAY_BEHIND = (
    r"^\s*([-+]?\d[\d.,]*\s*[mk]?[AaWw]?)\s*[\[(,;]?\s*([A-Za-z][A-Za-z _-]{2,20})[\])]?\s*$"
)
MESSAGE = re.compile(r"\s*\{.*\}\s*$|(?:[A-Za-z_][\w.]*=\S+[ ,;]+){2}", re.S)
LEAST_MESSAGES = 3
FLAGS = {
    **dict.fromkeys(("true", "yes", "on", "wahr", "ja", "vrai", "oui", "vero", "si", "tak"), "1"),
    **dict.fromkeys(("false", "no", "off", "falsch", "nein", "faux", "non", "falso", "nie"), "0"),
}
REGISTER_ENDS = (1 << 16, 1 << 32)
NEAR = 0.98  # of the end: a standby draw stands there; a charger of 60,000 mA does not
WRAP_LOOKED_AT = 20_000
USUAL = 0.9  # of the texts
LOOKED_AT = 200
RULED_OUT_BY = 24  # texts: more than a tenth of those that are looked at


def parted(table: Table) -> tuple[Table, list[str]]:
    """The table with its lists and its ways in columns of their own, and what is to be told."""
    table = _lists_spread(_ways_parted(_as_flags(_messages_spread(table))))
    return _unwrapped(table)


def _messages_spread(table: Table) -> Table:
    """A column of documents, or of ``name=value`` messages, with a column for each name in them."""
    for name in table.columns:
        texts = table.text(name)
        few = [text for text in texts.head(LOOKED_AT).to_list() if text]
        if len(few) < LEAST_MESSAGES or not all(map(MESSAGE.match, few)) or texts.null_count():
            continue
        lines = "\n".join(" ".join(text.split("\n")) for text in texts.to_list())
        try:
            inner = table_of(lines.encode(), table.file)
        except InputError:
            continue
        if inner.rows != table.rows:
            continue
        kept = table.frame.drop(name)
        frame = inner.frame.rename({c: f"{c} ({name})" for c in inner.columns if c in kept.columns})
        return table.with_frame(pl.concat([kept, frame], how="horizontal"))
    return table


def _unwrapped(table: Table) -> tuple[Table, list[str]]:
    """Currents below nought that a register without a sign shows as just below its end."""
    told: list[str] = []
    for name in table.columns:
        if not words.CURRENT.search(words.plain(name)):
            continue
        some = table.numbers(name, WRAP_LOOKED_AT)
        some = some[np.isfinite(some)]
        end = next((e for e in REGISTER_ENDS if some.size and NEAR * e < some.max() < e), None)
        if end is None or some.min() < 0 or np.any(some % 1):
            continue
        if np.any((some > 0.25 * end) & (some < 0.75 * end)) or not np.any(some < 0.25 * end):
            continue  # a current that goes on from the one half to the other
        values = table.numbers(name)
        signed = pl.Series(name, np.where(values > 0.5 * end, values - end, values))
        table = table.with_frame(table.frame.with_columns(signed.cast(pl.String)))
        told.append(f"{name}: numbers just below {end} are read as negative")
    return table, told


def _as_flags(table: Table) -> Table:
    """Yes and no under a heading of balancing, as 1 and 0."""
    for name in table.columns:
        if not words.BALANCING.search(words.plain(name)):
            continue
        texts = table.text(name).str.strip_chars().str.to_lowercase()
        said = set(texts.drop_nulls().unique().head(3).to_list())
        if said and said <= FLAGS.keys():
            flags = texts.replace_strict(FLAGS, default=None, return_dtype=pl.String)
            table = table.with_frame(table.frame.with_columns(flags.alias(name)))
    return table


def _ways_parted(table: Table) -> Table:
    """A number with a word behind it, ``5.7 A (charging)``, as a number and a word beside it."""
    for name in table.columns:
        some = table.text(name).head(LOOKED_AT).drop_nulls()
        some = some.filter(some.str.contains(r"\d"))  # "idle" has no number
        if int(some.str.contains(WAY_BEHIND).sum()) < max(1.0, USUAL * len(some)):
            continue
        number, way = table.text(name).str.extract_groups(WAY_BEHIND).struct.unnest()
        known = [sign for _, sign in directions_of(way)]
        if {1, -1} <= set(known):
            rests = table.text(name).str.to_lowercase().str.contains(words.IDLE_WORDS.pattern)
            number = number.set(number.is_null() & rests.fill_null(False), "0")
            at = table.columns.index(name)
            frame = table.frame.with_columns(number.alias(name))
            frame = frame.insert_column(at + 1, way.alias(f"{name} direction"))
            return table.with_frame(frame)
    return table


def _lists_spread(table: Table) -> Table:
    """A column of lists of numbers as a column a number."""
    for name in table.columns:
        texts = [t for t in table.text(name).head(200).to_list() if t and t.strip()]
        if sum(map(looks_numeric, texts[:12])) > 2:
            continue
        if not texts or words.BALANCING.search(words.plain(name)):
            continue
        if possible_forms(texts) or dates_only(texts) or clocks_only(texts):
            continue
        if not any(len(_numbers_in(t)) > 1 for t in texts[:RULED_OUT_BY]):
            continue
        sizes = [len(_numbers_in(t)) for t in texts]
        width = max(set(sizes), key=sizes.count)
        if width < 2 or sizes.count(width) < 0.9 * len(sizes):
            continue
        values = [_numbers_in(t or "") for t in table.text(name).to_list()]
        columns = [
            pl.Series(f"{name} {i + 1}", [v[i] if len(v) == width else None for v in values])
            for i in range(width)
        ]
        at = table.columns.index(name)
        before, after = table.frame[:, :at], table.frame[:, at + 1 :]
        frame = pl.concat([before, pl.DataFrame(columns), after], how="horizontal")
        return _lists_spread(table.with_frame(frame))
    return table


def _numbers_in(text: str) -> list[str]:
    """The numbers of a list written in one field; empty when it is none."""
    inner = text.strip().strip("[](){}\"'").strip()
    if not inner or looks_numeric(inner):
        return []
    comma = ";" in inner or decimal_mark([inner.replace(";", " ")]) == ","
    for mark in (";", "|", r"\s{0,9},\s+", ",", r"\s+", "/", ":"):
        parts = [
            p.strip().strip("\"'")
            for p in re.split(mark if "\\" in mark else re.escape(mark), inner)
        ]
        parts = _by_number([p for p in parts if p])
        if len(parts) >= 2 and all(looks_numeric(p) for p in parts):
            return [p.replace(",", ".") if comma else p for p in parts]
    return []


def _by_number(parts: list[str]) -> list[str]:
    """The values of ``c1=3.31``, ``"10": 3.32``, ``c2=3.30`` in the order of their numbers; other
    parts as they are.
    """
    keys = [NUMBERED.match(part) for part in parts]
    bare = [part[key.end() :] if key else part for part, key in zip(parts, keys, strict=True)]
    numbers = [int(key[1]) for key in keys if key]
    if len(set(numbers)) < len(parts):
        return bare
    return [value for _, value in sorted(zip(numbers, bare, strict=True))]
