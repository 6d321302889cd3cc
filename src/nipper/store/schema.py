"""Tables of the bench file, its version, and the way from older versions to this one."""

import sqlite3
from contextlib import closing
from pathlib import Path

from nipper.core.errors import InputError
from nipper.core.files import whole

APPLICATION_ID = 0x4E495050  # "NIPP" in the file's header: tells a bench from any other SQLite file
VERSION = 3

TABLES = """
CREATE TABLE settings (key TEXT PRIMARY KEY, value TEXT NOT NULL);
CREATE TABLE packs (id INTEGER PRIMARY KEY, name TEXT NOT NULL);
CREATE TABLE revisions (
    id INTEGER PRIMARY KEY, time_s REAL NOT NULL, kind TEXT NOT NULL, note TEXT NOT NULL,
    setup TEXT NOT NULL);
CREATE TABLE logs (
    id INTEGER PRIMARY KEY, pack INTEGER NOT NULL REFERENCES packs(id), file TEXT NOT NULL,
    imported_s REAL NOT NULL, rows INTEGER NOT NULL, first_s REAL NOT NULL,
    last_s REAL NOT NULL, mapping TEXT);
CREATE TABLE chunks (
    id INTEGER PRIMARY KEY, log INTEGER NOT NULL REFERENCES logs(id) ON DELETE CASCADE,
    first_s REAL NOT NULL, last_s REAL NOT NULL, rows INTEGER NOT NULL, data BLOB NOT NULL);
CREATE INDEX chunks_of_log ON chunks(log, first_s);
CREATE TABLE events (
    id INTEGER PRIMARY KEY, time_s REAL NOT NULL, pack INTEGER REFERENCES packs(id),
    kind TEXT NOT NULL, note TEXT NOT NULL);
CREATE TABLE mappings (shape TEXT PRIMARY KEY, mapping TEXT NOT NULL, used_s REAL NOT NULL);
"""

# step i leads from version i + 1 to i + 2
MIGRATIONS = (
    "CREATE TABLE diagnoses (id INTEGER PRIMARY KEY, time_s REAL NOT NULL, pack INTEGER "
    "NOT NULL REFERENCES packs(id), document TEXT NOT NULL);",
    # of which pack's BMS; before, and where nothing is said, of all
    "ALTER TABLE revisions ADD COLUMN pack INTEGER REFERENCES packs(id);",
)


def create(connection: sqlite3.Connection) -> None:
    """Lay out a new bench in an empty file."""
    connection.executescript(
        f"BEGIN; PRAGMA application_id = {APPLICATION_ID}; {TABLES} {''.join(MIGRATIONS)} "
        f"PRAGMA user_version = {VERSION}; COMMIT;"
    )


def examine(connection: sqlite3.Connection, path: Path) -> int:
    """The version of a bench file.

    Raises
    ------
    InputError
        It is no bench, or of a newer version than this program knows.
    """
    (application,) = connection.execute("PRAGMA application_id").fetchone()
    (version,) = connection.execute("PRAGMA user_version").fetchone()
    if application != APPLICATION_ID:
        raise InputError(
            str(path), "the file's header", "a Nipper bench, this is another kind of database"
        )
    if version > VERSION:
        raise InputError(
            str(path),
            "its version",
            f"a bench up to version {VERSION}, this one is of version {version}: it needs "
            "a newer Nipper",
        )
    _examine_tables(connection, path, version)
    return version


def _examine_tables(connection: sqlite3.Connection, path: Path, version: int) -> None:
    """A stranger's bench is data: what acts by itself, or stands in a table's place, is refused.

    A trigger could delete logs when a setting is saved; a view without end would hang.
    """
    found = _objects(connection)
    with closing(sqlite3.connect(":memory:")) as own:
        own.executescript(TABLES + "".join(MIGRATIONS[: max(0, version - 1)]))
        expected = _objects(own)
    for name in sorted(set(found) - set(expected)):
        kind = found[name].split()[1].lower()
        raise InputError(str(path), "its tables", f"a bench's own alone, found the {kind} {name!r}")
    for name in expected:
        if found.get(name) != expected[name]:
            wrong = "it is another" if name in found else "it is missing"
            raise InputError(
                str(path), "its tables", f"the table {name} as Nipper makes it, {wrong}"
            )


def _objects(connection: sqlite3.Connection) -> dict[str, str]:
    """What a database holds, by name, as it was made; SQLite's own apart."""
    rows = connection.execute("SELECT name, sql FROM sqlite_master WHERE sql IS NOT NULL")
    return {name: " ".join(sql.split()) for name, sql in rows if not name.startswith("sqlite_")}


def migrate(connection: sqlite3.Connection, path: Path, version: int) -> Path | None:
    """Bring an older bench up to date, a copy of the file put aside first.

    Returns the copy's path, None when nothing was to do.
    """
    if version == VERSION:
        return None
    copy = path.with_name(f"{path.name}.version-{version}")
    with whole(copy) as partial, closing(sqlite3.connect(partial)) as aside:
        connection.backup(aside)
    steps = "".join(MIGRATIONS[version - 1 :])
    connection.executescript(f"BEGIN; {steps} PRAGMA user_version = {VERSION}; COMMIT;")
    return copy
