"""When a table without dates begins: a day or a moment in the remarks above it or in its file's
name; and how far apart rows are that are only numbered.
"""

import re
from dataclasses import replace
from datetime import date
from pathlib import PurePath

import numpy as np
import polars as pl

from nipper.core.logs import words
from nipper.core.logs.clocktext import clocks_only, dates_only, possible_forms
from nipper.core.logs.doubt import Doubt
from nipper.core.logs.mapping import ColumnMapping
from nipper.core.logs.timeforms import DATELESS, NO_YEAR
from nipper.core.tables.table import Table

OF_DAY = r"(?:[T _,]+|, *|-)?(?:([01]?\d|2[0-3])[:.\-h]?([0-5]\d)(?:[:.\-m]?([0-5]\d))?)?(?!\d)"
MONTH, DAY = "(1[0-2]|0?[1-9])", r"(3[01]|[12]\d|0?[1-9])"
YEAR_FIRST = re.compile(rf"(?<!\d)(20\d\d)(?:-|_|\.|/){MONTH}(?:-|_|\.|/){DAY}{OF_DAY}")
COMPACT = re.compile(rf"(?<!\d)(20\d\d)(1[0-2]|0[1-9])(3[01]|[12]\d|0[1-9]){OF_DAY}")
DAY_FIRST = re.compile(rf"(?<!\d){DAY}\.{MONTH}\.(20\d\d){OF_DAY}")
SAYS_WHEN = re.compile(
    r"(?i)start|beg|dat[eu]|day|tag|from|von|since|seit|jour|fecha|log|debut|inizio"
)
SAYS_OTHER = re.compile(
    r"(?i)export|print|creat|erstellt|download|version|firmware|calib|stop|end|to\b"
)
APART = re.compile(
    r"(?i)(?:interval|every|period|sampl|rate|step|abstand|takt|alle|pas\b)[^\d\n]{0,20}"
    r"(\d+(?:[.,]\d+)?)\s*(ms|s|sec|seconds?|sek|min|minutes?|h|hours?)\b"
)
UNIT_S = {"m": 60.0, "ms": 1e-3, "h": 3600.0}
LOOKED_AT = 300
DATES = "its column of dates"


def begun(table: Table, mapping: ColumnMapping) -> ColumnMapping:
    """The mapping with the moment its times begin, where they have no dates and the table says so:
    each of several files of one shape has its own.
    """
    if mapping.time_form not in DATELESS:
        return mapping
    return replace(mapping, begins=_begin_in(table)[0] or mapping.begins)


def dated(table: Table) -> Table:
    """The table with its day before each time of day, where its own name or remarks tell it: of
    several files, one a day.
    """
    heads = {name: table.text(name).head(LOOKED_AT).to_list() for name in table.columns}
    if any(possible_forms(texts) or dates_only(texts) for texts in heads.values()):
        return table
    clocks = [name for name, texts in heads.items() if clocks_only(texts)]
    begins, _ = _begin_in(replace(table, file=""))
    if len(clocks) != 1 or not begins:
        return table
    return table.with_frame(
        table.frame.with_columns((f"{begins[:10]} " + pl.col(clocks[0])).alias(clocks[0]))
    )


def date_doubts(table: Table, mapping: ColumnMapping) -> list[Doubt]:
    """From which day times without dates count, and who says so."""
    if mapping.time_form not in DATELESS:
        return []
    if not mapping.begins and mapping.time_form == "yearless":
        return [Doubt(f"the times have no year: they are read as of {NO_YEAR}", "--map")]
    if not mapping.begins:
        return [Doubt("the table has no dates: its days count from 1970-01-01", "--map")]
    begins, where = _begin_in(table)
    by = where if begins == mapping.begins else "the mapping"
    if mapping.time_form == "yearless":
        return [Doubt(f"the times have no year: they begin in {mapping.begins[:4]}, by {by}")]
    moment = mapping.begins.replace("T", " ")[: 10 if mapping.time_form == "clock" else 16]
    if by == DATES:
        return [Doubt(f"the times are counted: from {moment}, by {by}", "--map")]
    return [Doubt(f"the table has no dates: they begin with {moment}, by {by}")]


def _begin_in(table: Table) -> tuple[str, str]:
    """The moment a table begins, ISO without a zone, and where that stands; empty where nothing
    says it, or two places say different days.
    """
    said = [n for n in table.notes if SAYS_WHEN.search(n) and not SAYS_OTHER.search(n)]
    named = [PurePath(table.part).stem, PurePath(table.file).stem]
    places = (
        (_first_days(table), DATES),
        (said, "the remarks above the table"),
        (named, "the name of the file"),
    )
    for texts, where in places:
        found = [moment for text in texts if (moment := _moment(text))]
        if len({moment[:10] for moment in found}) == 1:
            return max(found, key=len), where
    return "", ""


def _first_days(table: Table) -> list[str]:
    """What stands first in the columns of dates."""
    heads = {name: table.text(name).head(LOOKED_AT).to_list() for name in table.columns}
    return [str(texts[0] or "") for texts in heads.values() if texts and dates_only(texts)]


def _moment(text: str) -> str:
    """The first moment in a text, ISO; midnight where no time of day stands behind the day."""
    if match := YEAR_FIRST.search(text) or COMPACT.search(text):
        year, month, day = match[1], match[2], match[3]
    elif match := DAY_FIRST.search(text):
        day, month, year = match[1], match[2], match[3]
    else:
        return ""
    try:
        whole_day = date(int(year), int(month), int(day))
    except ValueError:
        return ""  # the thirtieth of February
    clock = f"{int(match[4] or 0):02d}:{match[5] or '00'}:{match[6] or '00'}"
    return f"{whole_day.isoformat()}T{clock}"


def numbered_rows(table: Table) -> tuple[Table, list[str]]:
    """Rows that are only numbered, with the seconds from the first: so far apart as a remark above
    the table says.
    """
    apart = [match for note in table.notes if (match := APART.search(note))]
    if len(apart) != 1 or _timed(table):
        return table, []
    name = next((c for c in table.columns if _counts(table.numbers(c))), None)
    if name is None:
        return table, []
    unit = apart[0][2].lower()
    step_s = float(apart[0][1].replace(",", ".")) * UNIT_S.get(unit, UNIT_S.get(unit[0], 1.0))
    numbers = table.numbers(name)
    seconds = pl.Series(f"time ({name}) s", (numbers - numbers[0]) * step_s).cast(pl.String)
    frame = table.frame.drop(name).insert_column(0, seconds)
    return table.with_frame(frame), [f"{name}: rows, {step_s:g} s apart as a remark says"]


def _timed(table: Table) -> bool:
    heads = {name: table.text(name).head(LOOKED_AT).to_list() for name in table.columns}
    forms = (possible_forms, dates_only, clocks_only)
    said = any(words.TIME.search(words.plain(name)) for name in table.columns)
    return said or any(form(texts) for texts in heads.values() for form in forms)


def _counts(numbers: np.ndarray) -> bool:
    """Whether each is one more than the one before."""
    return numbers.size > 2 and bool(np.all(np.diff(numbers) == 1.0))
