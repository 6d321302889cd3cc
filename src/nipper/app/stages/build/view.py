"""Build: the bank as built, its current, sense leads, cells, joining, capacity, first power."""

from datetime import tzinfo

from PySide6.QtCore import Slot
from PySide6.QtWidgets import QButtonGroup, QHBoxLayout, QStackedWidget, QVBoxLayout, QWidget

from nipper.app.document import Document
from nipper.app.stage import StageView
from nipper.app.stages.build.built import BuiltPage
from nipper.app.stages.build.capacity import CapacityPage
from nipper.app.stages.build.cells import CellsPage
from nipper.app.stages.build.current import CurrentPage
from nipper.app.stages.build.joining import JoiningPage
from nipper.app.stages.build.power import PowerPage
from nipper.app.stages.build.taps import TapsPage
from nipper.app.theme import Theme
from nipper.app.widgets.basic import SEMI, choices, label
from nipper.core.report.build import heading

TITLES = ("As built", "Current", "Sense leads", "Cells", "Joining", "Capacity", "First power")
PAGES = {"built": 0, "current": 1, "taps": 2, "cells": 3, "joining": 4, "capacity": 5, "power": 6}


class BuildView(StageView):
    """The stage Build."""

    def __init__(
        self, document: Document, theme: Theme, zone: tzinfo, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.setObjectName("page")
        self._document = document
        self._title = label("", size=16, weight=SEMI, wrap=True)
        self.built, self.current = BuiltPage(document, theme, zone), CurrentPage(document, theme)
        self.taps, self.cells = TapsPage(document, theme), CellsPage(document, theme)
        self.joining = JoiningPage(document, theme)
        self.capacity = CapacityPage(document, theme, zone)
        self.power = PowerPage(document, theme, PAGES)
        self._pages = (self.built, self.current, self.taps, self.cells, self.joining,
                       self.capacity, self.power)  # fmt: skip
        self._group, self._stack = QButtonGroup(self), QStackedWidget()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(18, 14, 18, 14)
        layout.setSpacing(6)
        layout.addWidget(self._title)
        tabs = QHBoxLayout()
        tabs.addLayout(choices(TITLES, self._group))
        tabs.addStretch(1)
        layout.addLayout(tabs)
        for page in self._pages:
            self._stack.addWidget(page)
        layout.addWidget(self._stack, 1)
        self._group.idClicked.connect(self.show_page)
        self.power.asked.connect(self.show_page)
        self.built.asked.connect(self._show_named)
        document.settings.changed.connect(self._show)
        document.records.changed.connect(self._show)
        document.pack_changed.connect(self._show)
        document.history.events_changed.connect(self._show)
        self._show()

    @Slot(int)
    def show_page(self, index: int) -> None:
        """Bring one of the pages to the front."""
        self._group.button(index).setChecked(True)
        self._stack.setCurrentIndex(index)
        self._show()

    def show_field(self, path: str) -> None:
        """Choose the part in the drawing that holds a setting."""
        self.show_page(PAGES["built"])
        self.built.show_field(path)

    def show_cell(self, cell: int) -> None:
        """Choose a cell of the shown pack in the drawing."""
        self.show_page(PAGES["built"])
        self.built.select(f"pack{self._document.settings.number}.cell{cell}")

    @Slot(str)
    def _show_named(self, name: str) -> None:
        self.show_page(PAGES[name])

    @Slot()
    def _show(self, *_: object) -> None:
        self._title.setText(heading(self._document.bank))
        self._pages[self._stack.currentIndex()].refresh()
