"""Tables that are looked at."""

from collections.abc import Sequence

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QTableWidget

from nipper.app.widgets.units import UNITS


def listing(columns: Sequence[str], name: str) -> QTableWidget:
    """A table in which nothing is typed; its rows are chosen whole. Hundreds of rows of
    labels instead would hold the window for seconds.
    """
    out = QTableWidget(0, len(columns))
    out.setAccessibleName(UNITS.text(name))
    out.setHorizontalHeaderLabels(UNITS.texts(list(columns)))
    out.horizontalHeader().setDefaultAlignment(Qt.AlignmentFlag.AlignLeft)
    out.horizontalHeader().setHighlightSections(False)
    out.verticalHeader().hide()
    out.setShowGrid(False)
    out.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
    out.setSelectionBehavior(QTableWidget.SelectionBehavior.SelectRows)
    return out
