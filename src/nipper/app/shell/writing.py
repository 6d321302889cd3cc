"""Writing files out of the bench: setup, log, diagnosis, a copy. All open forms."""

import json
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from nipper.app.jobs import Job
from nipper.app.widgets.asking import ask_save
from nipper.app.widgets.printing import as_pdf
from nipper.core.errors import InputError, NipperError
from nipper.core.files import write_whole
from nipper.core.setup import dumps

if TYPE_CHECKING:
    from nipper.app.shell.window import Window
    from nipper.core.logs.model import Log


def _write(
    window: "Window", title: str, proposed: str, kinds: str, data: Callable[[Path], bytes]
) -> None:
    """Ask where, and write; the kind of file is that of the name that was chosen."""
    file = ask_save(window, title, proposed, kinds)
    if file:
        try:
            write_whole(Path(file), data(Path(file)))
        except NipperError as error:
            window.say(str(error))


def write_setup(window: "Window") -> None:
    """Write the settings as a setup file."""
    assert window.document
    setup = window.document.bank
    _write(
        window,
        "Write the setup file",
        f"{setup.name}.setup.json",
        "Setup files (*.json)",
        lambda _: dumps(setup).encode(),
    )


def write_open_loop(window: "Window") -> None:
    """Write the sheet for an inverter that nobody talks to, as a table or for printing."""
    from nipper.core.sources.openloop import sheet, to_csv, to_html

    assert window.document
    setup = window.document.setup

    def data(path: Path) -> bytes:
        if path.suffix.lower() == ".csv":
            return to_csv(sheet(setup)).encode()
        return as_pdf(to_html(sheet(setup), f"{setup.name}: open-loop sheet"), for_device=True)

    proposed = f"{setup.name}.open-loop.pdf"
    _write(window, "Write the open-loop sheet", proposed, "PDF (*.pdf);;Tables (*.csv)", data)


def write_log(window: "Window") -> None:
    """Write the shown pack's samples as a plain log, off the window's thread: a year of them takes
    seconds.
    """
    from nipper.app.document.records import write_recorded

    assert window.document
    document, record = window.document, window.document.record
    assert record
    file = ask_save(
        window,
        "Write the log",
        f"{document.pack.name}.csv",
        "Plain logs (*.csv *.csv.gz);;Parquet (*.parquet);;Spreadsheets (*.xlsx)",
    )
    if file:
        if file.lower().endswith((".parquet", ".xlsx")):
            job = Job(_write_samples, record.recorded, Path(file), lasts=True)
        else:
            job = Job(write_recorded, document.bench, record, Path(file), lasts=True)
        job.failed.connect(window.say)
        job.start()


def _write_samples(log: "Log", path: Path) -> None:
    """Runs in a worker thread."""
    from nipper.core.report.tables import as_bytes, samples

    if log.averaged_s:
        raise InputError(str(path), "the file", "a .csv or .csv.gz for a log that is this long")
    write_whole(path, as_bytes(samples(log), path))


TABLES = "Tables (*.csv);;Parquet (*.parquet);;Spreadsheets (*.xlsx)"


def write_charges(window: "Window") -> None:
    """Write the shown pack's charges, a row each."""
    _write_table(window, "charges")


def write_cells(window: "Window") -> None:
    """Write what is known of the shown pack's cells, a row each."""
    _write_table(window, "cells")


def _write_table(window: "Window", kind: str) -> None:
    from nipper.core.report.tables import Kind, as_bytes, table

    assert window.document
    assert window.document.record
    record, setup = window.document.record, window.document.setup
    proposed = f"{window.document.pack.name}.{kind}.csv"

    def data(path: Path) -> bytes:
        return as_bytes(table(Kind(kind), record.diagnosis, record.log, setup), path)

    _write(window, f"Write the {kind}", proposed, TABLES, data)


def write_diagnosis(window: "Window") -> None:
    """Write the diagnosis as a page to print, or as the JSON of the headless contract."""
    from nipper.core.imbalance.diagnosis import to_json
    from nipper.core.report.diagnosed import diagnosis_html

    document = window.document
    assert document
    assert document.record
    record, setup, name = document.record, document.setup, document.pack.name
    now = document.now(window.zone)

    def data(path: Path) -> bytes:
        if path.suffix.lower() == ".json":
            told = to_json(record.diagnosis, record.log, setup)
            return json.dumps(told, indent=2, ensure_ascii=False).encode()
        html = diagnosis_html(record.diagnosis, record.log, setup, name, now)
        return html.encode() if path.suffix.lower() == ".html" else as_pdf(html)

    kinds = "PDF (*.pdf);;Web pages (*.html);;Open form (*.json)"
    _write(window, "Write the diagnosis", f"{name}.diagnosis.pdf", kinds, data)


def write_copy(window: "Window") -> None:
    """Write the bench as it stands to another file.

    Where the bench itself can no longer be written, the copy is what is worked on from then on.
    """
    document = window.document
    assert document
    path = document.bench.path
    file = ask_save(
        window, "Save a copy", str(path.with_stem(path.stem + " copy")), "Benches (*.nipper)"
    )
    if not file:
        return
    try:
        document.bench.copy_to(Path(file), document.bank)
    except NipperError as error:
        window.say(str(error))
        return
    if not document.settings.try_to_save():
        window.go_on_in(Path(file))
