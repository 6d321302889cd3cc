"""Writing files out of the bench: setup, log, diagnosis, a copy. All open forms."""

import json
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtGui import QPageSize, QPdfWriter, QTextDocument
from PySide6.QtWidgets import QFileDialog

from nipper.app.jobs import Job
from nipper.app.theme import BASE_PT, font
from nipper.core.errors import NipperError
from nipper.core.setup import dumps

if TYPE_CHECKING:
    from nipper.app.shell.window import Window


def write_whole(path: Path, data: bytes) -> None:
    """Write beside and put in place only when whole: a full disk must not cost the file that was there."""
    part = path.with_name(path.name + ".part")
    try:
        part.write_bytes(data)
        part.replace(path)
    finally:
        part.unlink(missing_ok=True)


def print_html(html: str, file: str) -> None:
    """A page as PDF on A4."""
    writer = QPdfWriter(file)
    writer.setPageSize(QPageSize(QPageSize.PageSizeId.A4))
    page = QTextDocument()
    page.setDefaultFont(font(BASE_PT))
    page.setHtml(html)
    page.print_(writer)


def _write(
    window: "Window", title: str, proposed: str, kinds: str, data: Callable[[], bytes]
) -> None:
    file, _ = QFileDialog.getSaveFileName(window, title, proposed, kinds)
    if file:
        try:
            write_whole(Path(file), data())
        except OSError as error:
            window.say(f"{file}: {error.strerror}")


def write_setup(window: "Window") -> None:
    """Write the settings as a setup file."""
    assert window.document
    setup = window.document.setup
    _write(
        window,
        "Write the setup file",
        f"{setup.name}.setup.json",
        "Setup files (*.json)",
        lambda: dumps(setup).encode(),
    )


def write_open_loop(window: "Window") -> None:
    """Write the sheet for an inverter that nobody talks to, as a table or for printing."""
    from nipper.core.sources.openloop import sheet, to_csv, to_html

    assert window.document
    setup = window.document.setup
    file, _ = QFileDialog.getSaveFileName(
        window,
        "Write the open-loop sheet",
        f"{setup.name}.open-loop.pdf",
        "PDF (*.pdf);;Tables (*.csv)",
    )
    if not file:
        return
    try:
        if file.lower().endswith(".csv"):
            write_whole(Path(file), to_csv(sheet(setup)).encode())
        else:
            print_html(to_html(sheet(setup), f"{setup.name}: open-loop sheet"), file)
    except OSError as error:
        window.say(f"{file}: {error.strerror}")


def write_log(window: "Window") -> None:
    """Write the shown pack's samples as a plain log, off the window's thread: a year of them takes seconds."""
    from nipper.core.logs.writer import write_plain

    assert window.document
    assert window.document.record
    log = window.document.record.log
    file, _ = QFileDialog.getSaveFileName(
        window, "Write the log", f"{window.document.pack.name}.csv", "Plain logs (*.csv *.csv.gz)"
    )
    if file:
        job = Job(write_plain, log, Path(file))
        job.failed.connect(window.say)
        job.start()


def write_diagnosis(window: "Window") -> None:
    """Write the diagnosis as the JSON of the headless contract."""
    from nipper.core.imbalance.diagnosis import to_json

    assert window.document
    assert window.document.record
    record, setup = window.document.record, window.document.setup
    text = json.dumps(to_json(record.diagnosis, record.log, setup), indent=2, ensure_ascii=False)
    _write(
        window,
        "Write the diagnosis",
        f"{window.document.pack.name}.diagnosis.json",
        "Diagnoses (*.json)",
        text.encode,
    )


def write_copy(window: "Window") -> None:
    """Write the bench as it stands to another file."""
    assert window.document
    window.document.save()
    path = window.document.bench.path
    file, _ = QFileDialog.getSaveFileName(
        window, "Save a copy", str(path.with_stem(path.stem + " copy")), "Benches (*.nipper)"
    )
    if file:
        try:
            window.document.bench.copy_to(Path(file))
        except NipperError as error:
            window.say(str(error))
