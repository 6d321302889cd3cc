"""Any file as the tables in it: told apart by what is in it, not by its name."""

import re
from pathlib import Path

from nipper.core.errors import InputError
from nipper.core.tables.dumps import dumped_table, is_dump
from nipper.core.tables.foreign import refuse_document, refuse_foreign
from nipper.core.tables.packed import ZIP, members, read_bytes
from nipper.core.tables.pages import is_page, page_tables
from nipper.core.tables.sheets import SUFFIXES, is_sheet, sheet_tables
from nipper.core.tables.table import Table
from nipper.core.tables.texts import text_table

SQLITE = b"SQLite format 3\0"

JSON = re.compile(rb"\s*(?:\{|\[\s*(?:[{\[]|\Z))")


def read_tables(path: str | Path) -> list[Table]:
    """The tables of a file: one, or those of its sheets, its members, its database.

    Raises
    ------
    InputError
        Names the file and what was expected of it.
    """
    path = Path(path)
    data = read_bytes(path)
    if is_page(data):
        return page_tables(data, str(path))
    if path.suffix.lower() in SUFFIXES or is_sheet(data):
        return sheet_tables(data, str(path))
    if data.startswith(SQLITE):
        from nipper.core.tables.documents import database_tables

        return database_tables(path)
    if data.startswith(ZIP):
        return _archive(data, str(path))
    return [table_of(data, str(path))]


def table_of(data: bytes, file: str, part: str = "") -> Table:
    """The table in the bytes of one file that is no archive and no spreadsheet."""
    from nipper.core.tables import documents

    refuse_foreign(data, file)
    if data.startswith((documents.PARQUET, documents.ARROW)):
        return documents.columnar_table(data, file, part)
    if is_dump(data):
        return dumped_table(data, file, part)
    if JSON.match(data[:200].removeprefix(b"\xef\xbb\xbf")):
        return documents.json_table(data, file, part)
    stamped = documents.stamped_lines(data)
    if stamped is not None:
        return documents.json_table(stamped, file, part)
    return text_table(data, file, part)


def _archive(data: bytes, file: str) -> list[Table]:
    """The tables of an archive; members that hold none (a read-me) are passed over."""
    refuse_document(data, file)
    tables: list[Table] = []
    first: InputError | None = None
    for name, inner in members(data, file):
        try:
            if is_page(inner):
                tables += page_tables(inner, file)
            elif is_sheet(inner):
                tables += sheet_tables(inner, file)
            else:
                tables.append(table_of(inner, file, name))
        except InputError as error:
            first = first or error
    if not tables:
        raise first or InputError(file, "the archive", "a table in it")
    return tables


def read_table(path: str | Path) -> Table:
    """The table of a file that holds one; the largest of several."""
    return max(read_tables(path), key=lambda table: table.rows)
