"""Packs and logs: names of packs, which files were read into which, and what was noted; what was
read or noted by mistake is taken out again.
"""

from datetime import tzinfo

from PySide6.QtCore import Signal, Slot
from PySide6.QtWidgets import QGridLayout, QLineEdit, QVBoxLayout, QWidget

from nipper.app.document import Document
from nipper.app.shell.eventslist import EventsList
from nipper.app.shell.logslist import LogsList
from nipper.app.shell.otherbuilds import OtherBuilds
from nipper.app.widgets.basic import SEMI, clear, label, page_head, scrolled
from nipper.app.widgets.units import UNITS


class LogsPage(QWidget):
    """``left`` when the user goes back; ``renamed`` when a pack has another name."""

    left = Signal()
    renamed = Signal()

    def __init__(self, document: Document, zone: tzinfo, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("page")
        self._document = document
        self.fields: dict[int, QLineEdit] = {}
        layout = QVBoxLayout(self)
        layout.setContentsMargins(24, 14, 24, 16)
        layout.setSpacing(10)
        layout.addLayout(page_head("Packs and logs", self.left))
        inside = QVBoxLayout()
        inside.setContentsMargins(0, 0, 0, 0)
        inside.setSpacing(10)
        self._names = QGridLayout()
        self._names.setHorizontalSpacing(16)
        self._names.setVerticalSpacing(5)
        self.other_builds = OtherBuilds(document)
        inside.addLayout(self._names)
        inside.addWidget(self.other_builds)
        self.logs = LogsList(document, zone)
        self.logs.changed.connect(self.other_builds.refresh)
        inside.addWidget(self.logs)
        self.events = EventsList(document, zone)
        inside.addWidget(self.events)
        inside.addStretch(1)
        area = scrolled(inside)
        layout.addWidget(area, 1)

    @Slot()
    def refresh(self) -> None:
        """Show packs and logs as they are in the bench."""
        self.fields = {}
        clear(self._names)
        self._names.addWidget(label("Names of the packs", weight=SEMI), 0, 0, 1, 2)
        for row, pack in enumerate(self._document.records.packs, 1):
            field = QLineEdit(pack.name)
            field.setMaxLength(60)
            field.setMaximumWidth(260)
            field.setProperty("pack", pack.id)
            field.setAccessibleName(UNITS.text(f"Name of pack {row}"))
            field.editingFinished.connect(self._rename)
            self.fields[pack.id] = field
            self._names.addWidget(label(f"pack {row}", "soft"), row, 0)
            self._names.addWidget(field, row, 1)
        self._names.setColumnStretch(2, 1)
        self.other_builds.refresh()
        self.logs.refresh()
        self.events.refresh()

    @Slot()
    def _rename(self) -> None:
        field = self.sender()
        assert isinstance(field, QLineEdit)
        name = field.text().strip()
        pack = next(p for p in self._document.records.packs if p.id == field.property("pack"))
        if name and name != pack.name:
            self._document.records.rename(pack.id, name)
            self.renamed.emit()
        elif not name:
            field.setText(pack.name)
