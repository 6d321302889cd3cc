"""Packs and logs in the window: another name everywhere, and a log taken out after being asked
twice.
"""

from dataclasses import replace

import pytest
from PySide6.QtCore import QEvent, QItemSelectionModel
from PySide6.QtGui import QFocusEvent
from PySide6.QtWidgets import QLabel, QPushButton

from nipper.app.shell.logspage import LogsPage
from nipper.app.widgets.basic import TakeOut


@pytest.fixture
def page(open_window):
    found = open_window.side.show("logs")
    assert isinstance(found, LogsPage)
    return found


def out_button(page):
    """The button of the table, a log chosen."""
    page.logs.table.selectRow(0)
    return page.logs.out


def test_a_pack_gets_another_name_everywhere(open_window, page):
    field = page.fields[1]
    field.setText("Port side")
    field.editingFinished.emit()
    assert open_window.document.pack.name == "Port side"
    assert open_window.document.bench.packs()[0].name == "Port side"
    assert any(b.text() == "Port side" for b in open_window.top.pack_group.buttons())
    field.setText("   ")
    field.editingFinished.emit()
    assert field.text() == "Port side"


def test_a_log_goes_only_when_asked_twice(qtbot, open_window, page):
    document = open_window.document
    assert not page.logs.out.isEnabled()  # none is chosen
    out = out_button(page)
    out.click()
    assert document.bench.logs.all()
    assert out.text() == "Really take it out"
    out.click()
    assert document.bench.logs.all() == []
    qtbot.waitUntil(
        lambda: not document.busy and document.records.by_pack.get(1) is None, timeout=20_000
    )
    entry = open_window.rail.entries["record"]
    qtbot.waitUntil(lambda: "no log yet" in entry.sentence)


def test_of_a_year_of_daily_logs_some_are_taken_out_at_once(qtbot, open_window):
    """A line of labels for each of 365 logs held the window for two and a half seconds."""
    document = open_window.document
    log = document.record.log
    for day in range(1, 40):
        moved = replace(log, time_s=log.time_s + 40.0 * 86400.0 * day).select(slice(0, 30))
        document.bench.logs.add(1, moved, f"day {day}.csv")
    page = open_window.side.show("logs")
    table = page.logs.table
    assert table.rowCount() == 40
    assert [table.item(1, column).text() for column in (1, 3)] == ["day 1.csv", "30"]
    assert table.maximumHeight() < 600  # the others are scrolled to
    assert page.events._grid.columnMinimumWidth(2) < 600
    chosen = QItemSelectionModel.SelectionFlag.Select | QItemSelectionModel.SelectionFlag.Rows
    for row in (2, 5, 7):
        table.selectionModel().select(table.model().index(row, 0), chosen)
    assert "3 chosen, 90 rows" in "".join(one.text() for one in page.logs.findChildren(QLabel))
    page.logs.out.click()
    page.logs.out.click()
    left = [entry.file for entry in document.bench.logs.all()]
    assert len(left) == 37
    assert not {"day 2.csv", "day 5.csv", "day 7.csv"} & set(left)
    assert table.rowCount() == 37
    table.selectRow(4)
    assert page.logs.out.text() == "Take it out …"
    page.logs.out.click()  # the next one is asked for again
    assert table.rowCount() == 37
    qtbot.waitUntil(lambda: not document.busy, timeout=60_000)


def test_who_goes_elsewhere_did_not_mean_it(page):
    out = out_button(page)
    out.click()
    out.focusOutEvent(QFocusEvent(QEvent.Type.FocusOut))
    assert out.text() == "Take it out …"


def test_what_was_noted_by_mistake_is_taken_out_again(open_window, page):
    history = open_window.document.history
    history.add_event(1.7e9, "levelled", "all cells level", 1)
    said = [one.text() for one in page.events.findChildren(QLabel)]
    assert "bars retorqued" in said
    assert said.index("all cells level") < said.index("bars retorqued") or len(said) > 3
    kinds = [event.kind for event in history.events()]
    newest_first = kinds[::-1]
    out = page.events.findChildren(TakeOut)[newest_first.index("levelled")]
    out.click()
    assert [event.kind for event in history.events()] == kinds
    out.click()
    assert [event.kind for event in history.events()] == ["note"]


def test_of_many_events_the_newest_are_shown_first(open_window, page):
    history = open_window.document.history
    for day in range(60):
        history.add_event(1.7e9 + 86400.0 * day, "note", f"looked on day {day}", None)
    said = "\n".join(one.text() for one in page.events.findChildren(QLabel))
    assert "looked on day 59" in said
    assert "looked on day 3" not in said.splitlines()
    more = next(b for b in page.events.findChildren(QPushButton) if b.text().startswith("Show the"))
    more.click()
    assert any(one.text() == "looked on day 3" for one in page.events.findChildren(QLabel))


def test_charges_and_cells_are_written_for_other_programs(open_window, tmp_path, monkeypatch):
    import polars as pl
    from PySide6.QtWidgets import QFileDialog

    from nipper.app.shell.writing import write_cells, write_charges

    for write, name in ((write_charges, "a.csv"), (write_cells, "b.parquet")):
        path = str(tmp_path / name)
        monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_, p=path: (p, ""))
        write(open_window)
    assert pl.read_csv(tmp_path / "a.csv")["full"].sum() == 12
    assert pl.read_parquet(tmp_path / "b.parquet")["cell"].to_list() == list(range(1, 9))
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(tmp_path / "c.doc"), ""))
    write_cells(open_window)
    assert ".parquet" in open_window.message.text()


def test_a_cell_that_left_is_asked_for_and_the_older_log_goes_on_without_it(
    qtbot, open_window, page
):
    document = open_window.document
    whole = document.record.log
    document.settings.change({"cells_in_series": whole.cells - 1}, "cells")
    document.settings.save()
    qtbot.waitUntil(lambda: not document.busy and document.record is None, timeout=20_000)
    assert "which one in Packs and logs" in document.other_build
    page.refresh()
    asked = page.other_builds
    assert asked.isVisibleTo(page)
    (field,) = asked.fields
    field.setText("17")
    field.returnPressed.emit()
    assert not document.history.raw_events()[1:] or "17" in asked._trouble.text()
    field.setText("5")
    field.returnPressed.emit()
    qtbot.waitUntil(lambda: document.record is not None, timeout=20_000)
    assert document.record.log.cells == whole.cells - 1
    assert document.record.log.cell_v[0, 4] == pytest.approx(whole.cell_v[0, 5], abs=1e-4)
    assert not asked.isVisibleTo(page)
    assert not document.other_build
    taken = next(e for e in document.history.events() if "taken out" in e.note)
    document.history.remove_event(taken.id)
    qtbot.waitUntil(lambda: not document.busy and document.record is None, timeout=20_000)
