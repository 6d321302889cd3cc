"""Opening what the user gives: a bench, a setup to make one of, a log; and where new benches are
kept.
"""

from collections.abc import Sequence
from itertools import islice
from pathlib import Path
from typing import TYPE_CHECKING, cast

from PySide6.QtCore import QObject, QSettings, Slot
from PySide6.QtWidgets import QFileDialog

from nipper.app.shell.rescue import wants_copy
from nipper.app.widgets.asking import ask_open, ask_save
from nipper.core.errors import NipperError
from nipper.core.files import unwritable
from nipper.core.setup import Setup, load
from nipper.store import APPLICATION_ID, Bench, ReadOnlyError, copy_read_only

if TYPE_CHECKING:
    from nipper.app.shell.window import Window

BENCH_SUFFIX = ".nipper"
LOG_SUFFIXES = (".csv", ".gz", ".tsv", ".txt", ".log", ".xlsx", ".xlsm", ".xls", ".ods", ".fods",
                ".zip", ".jsonl", ".ndjson", ".parquet", ".arrow", ".feather", ".db", ".sqlite",
                ".sql", ".html", ".htm", ".md", ".dat")  # fmt: skip
OFFERED = " ".join(f"*{suffix}" for suffix in (BENCH_SUFFIX, ".json", *LOG_SUFFIXES))
APPLICATION = slice(68, 72)  # where an SQLite file says whose it is, by its published format
BENCH_MARK = APPLICATION_ID.to_bytes(4, "big")
SETUP_WORDS = (b"nipper-setup", b'"chemistry"', b'"protection"')  # of a document that is no log
LOOKED_AT = 4096  # bytes
MOST_LOOKED_AT = 10_000  # of what is in a folder: somebody may drop his home
MOST_NAMED = 3
REMEMBERED = 8


def is_log(path: Path) -> bool:
    """Whether a file is to be read as a log: by its name, of a document by its first bytes."""
    suffix = path.suffix.lower()
    if suffix != ".json":
        return suffix in LOG_SUFFIXES
    head = _head(path)
    return b"[" in head and not any(word in head for word in SETUP_WORDS)


def is_bench(path: Path) -> bool:
    """Whether a file is a bench: by its name, or by what stands in its head."""
    return path.suffix.lower() == BENCH_SUFFIX or _head(path)[APPLICATION] == BENCH_MARK


def _head(path: Path) -> bytes:
    if not path.is_file():  # a pipe would be waited for
        return b""
    try:
        with path.open("rb") as file:
            return file.read(LOOKED_AT)
    except OSError:  # said by whoever opens it
        return b""


def _within(path: Path) -> list[Path]:
    """The logs of a folder and of those in it, or the file itself where it is one."""
    if not path.is_dir():
        return [path] if is_log(path) else []
    try:
        inside = list(islice(path.rglob("*"), MOST_LOOKED_AT))
    except OSError:
        return []
    shown = (each for each in inside if not each.name.startswith("."))
    return [each for each in shown if is_log(each) and each.is_file()]


class Opener(QObject):
    """Opens files for the window, and remembers which benches were open last."""

    def __init__(self, window: "Window", settings: QSettings, folder: Path) -> None:
        super().__init__(window)
        self._window, self._settings, self._folder = window, settings, folder

    def recent(self) -> list[str]:
        """The benches opened last that are still there, newest first."""
        value: object = self._settings.value("recent", [])
        files = cast(list[object], value) if isinstance(value, list) else [value]
        return [str(file) for file in files if file and Path(str(file)).is_file()]

    def remember(self, path: Path) -> None:
        """This one was opened last."""
        others = [file for file in self.recent() if file != str(path)]
        self._settings.setValue("recent", [str(path), *others][:REMEMBERED])

    @Slot()
    def ask(self) -> None:
        """Let the user choose a bench, a setup or a log."""
        kinds = f"Benches, setups and logs ({OFFERED});;All files (*)"
        file = ask_open(self._window, "Open", kinds)
        if file:
            self.open(file)

    def open_all(self, files: Sequence[str]) -> None:
        """Open the first of what was dropped; where it is a log, or a folder with some, all logs
        of it at once.
        """
        first, *_ = given = [Path(file) for file in files]
        if first.is_dir() or is_log(first):
            self._read_logs(given)
            return
        self.open(str(first))
        if len(files) > 1 and not self._window.message.text():
            rest = f"Drop the other {len(files) - 1} after it."
            self._window.say(f"One file at a time: this is {first.name}. {rest}")

    def _read_logs(self, given: Sequence[Path]) -> None:
        logs = sorted(str(log) for path in given for log in _within(path))
        if logs:
            self._window.importer.read(*logs)
        others = [path.name for path in given if not path.is_dir() and not is_log(path)]
        if not logs:
            self._window.say(f"{given[0].name}: there is no log in this folder, or it is closed.")
        elif others:
            self._window.say(f"Left out, for they are no logs: {', '.join(others[:MOST_NAMED])}.")

    @Slot(str)
    def open(self, file: str) -> None:
        """Open a bench, make one of a setup file, or read a log, by what the file is."""
        path = Path(file)
        suffix = path.suffix.lower()
        try:
            if suffix == ".json" and not is_log(path):
                self.make(load(path))
            elif is_bench(path):
                self._window.open_bench(Bench.open(path))
            else:  # the reader of logs says best what any other file is
                self._window.importer.read(file)
        except ReadOnlyError as error:
            self._window.say(str(error))
            self._offer_copy(path)
        except NipperError as error:
            self._window.say(str(error))

    @Slot(object)
    def make(self, setup: Setup) -> None:
        """Make a bench of a setup, where the user says."""
        try:
            path = self._free_name(setup.name)
            if not self._window.importer.waiting or self._window.document is not None:
                path = self._ask_where(path)
            if path is not None:
                self._window.open_bench(Bench.create(path, setup))
        except NipperError as error:
            self._window.say(str(error))
            return
        if path is not None:
            self._window.importer.read_waiting()

    def _ask_where(self, proposed: Path) -> Path | None:
        if self._settings.value("ask", "yes") != "yes":
            return proposed
        # no offer to overwrite: a bench is records of months; a taken name is said by the store
        kept = QFileDialog.Option.DontConfirmOverwrite
        title, kinds = "Where to keep the bench", f"Benches (*{BENCH_SUFFIX})"
        chosen = ask_save(self._window, title, str(proposed), kinds, kept)
        return Path(chosen) if chosen else None

    def _offer_copy(self, path: Path) -> None:
        if not wants_copy(self._window, path):
            return
        try:
            copy = self._free_name(f"{path.stem} copy")
            copy_read_only(path, copy)
        except NipperError as error:
            self._window.say(str(error))
        else:
            self.open(str(copy))

    def _free_name(self, name: str) -> Path:
        clean = "".join(c if c.isalnum() or c in " -_" else "_" for c in name).strip()[:60]
        try:
            self._folder.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            raise unwritable(self._folder, error) from None
        path, number = self._folder / f"{clean or 'bench'}{BENCH_SUFFIX}", 2
        while path.exists():
            path = self._folder / f"{clean or 'bench'} {number}{BENCH_SUFFIX}"
            number += 1
        return path
