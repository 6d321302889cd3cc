"""Build: the bank as built, its current, sense leads, cells, joining, capacity, first power."""

from datetime import tzinfo

from PySide6.QtCore import Slot

from nipper.app.document import Document
from nipper.app.stage import PagedView
from nipper.app.stages.build.built import BuiltPage
from nipper.app.stages.build.capacity import CapacityPage
from nipper.app.stages.build.cells import CellsPage
from nipper.app.stages.build.current import CurrentPage
from nipper.app.stages.build.joining import JoiningPage
from nipper.app.stages.build.power import PowerPage
from nipper.app.stages.build.taps import TapsPage
from nipper.app.theme import Theme
from nipper.core.report.build import heading

TITLES = ("As built", "Current", "Sense leads", "Cells", "Joining", "Capacity", "First power")
PAGES = {"built": 0, "current": 1, "taps": 2, "cells": 3, "joining": 4, "capacity": 5, "power": 6}


class BuildView(PagedView):
    """The stage Build."""

    def __init__(self, document: Document, theme: Theme, zone: tzinfo) -> None:
        super().__init__(TITLES, tabs_below=True)
        self._document = document
        self.built, self.current = BuiltPage(document, theme, zone), CurrentPage(document, theme)
        self.taps, self.cells = TapsPage(document, theme), CellsPage(document, theme)
        self.joining = JoiningPage(document, theme)
        self.capacity = CapacityPage(document, theme, zone)
        self.power = PowerPage(document, theme, PAGES)
        first = (self.built, self.current, self.taps, self.cells)
        self.add_pages(*first, self.joining, self.capacity, self.power)
        self.power.asked.connect(self.show_page)
        self.built.asked.connect(self._show_named)
        self.follow(
            self.refresh,
            document.settings.changed,
            document.records.changed,
            document.pack_changed,
            document.history.events_changed,
        )
        self.refresh()

    def said(self) -> str:
        """What there is."""
        return heading(self._document.bank)

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
