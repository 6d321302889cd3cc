"""Build: the bank as built, its current, sense leads, cells, joining, capacity, first power."""

from datetime import tzinfo
from typing import TYPE_CHECKING

from PySide6.QtCore import Slot

from nipper.app.document import Document
from nipper.app.stage import PagedView, made
from nipper.app.theme import Theme
from nipper.core.report.build import heading

if TYPE_CHECKING:
    from nipper.app.stages.build.built import BuiltPage
    from nipper.app.stages.build.capacity import CapacityPage
    from nipper.app.stages.build.cells import CellsPage
    from nipper.app.stages.build.current import CurrentPage
    from nipper.app.stages.build.joining import JoiningPage
    from nipper.app.stages.build.power import PowerPage
    from nipper.app.stages.build.taps import TapsPage

TITLES = ("As built", "Current", "Sense leads", "Cells", "Joining", "Capacity", "First power")
PAGES = {"built": 0, "current": 1, "taps": 2, "cells": 3, "joining": 4, "capacity": 5, "power": 6}


class BuildView(PagedView):
    """The stage Build; a page is made when it is first looked at."""

    def __init__(self, document: Document, theme: Theme, zone: tzinfo) -> None:
        super().__init__(TITLES, tabs_below=True)
        self._document, self._theme, self._zone = document, theme, zone
        self.follow(
            self.refresh,
            document.settings.changed,
            document.records.changed,
            document.pack_changed,
            document.history.events_changed,
        )
        self.refresh()

    @made
    def built(self) -> "BuiltPage":
        """The bank as a drawing."""
        from nipper.app.stages.build.built import BuiltPage

        page = BuiltPage(self._document, self._theme, self._zone)
        page.asked.connect(self._show_named)
        return page

    @made
    def current(self) -> "CurrentPage":
        """What flows through each part."""
        from nipper.app.stages.build.current import CurrentPage

        return CurrentPage(self._document, self._theme)

    @made
    def taps(self) -> "TapsPage":
        """The sense leads."""
        from nipper.app.stages.build.taps import TapsPage

        return TapsPage(self._document, self._theme)

    @made
    def cells(self) -> "CellsPage":
        """Cells as delivered."""
        from nipper.app.stages.build.cells import CellsPage

        return CellsPage(self._document, self._theme)

    @made
    def joining(self) -> "JoiningPage":
        """Packs before they are joined."""
        from nipper.app.stages.build.joining import JoiningPage

        return JoiningPage(self._document, self._theme)

    @made
    def capacity(self) -> "CapacityPage":
        """Capacity tests."""
        from nipper.app.stages.build.capacity import CapacityPage

        return CapacityPage(self._document, self._theme, self._zone)

    @made
    def power(self) -> "PowerPage":
        """First power."""
        from nipper.app.stages.build.power import PowerPage

        page = PowerPage(self._document, self._theme, PAGES)
        page.asked.connect(self.show_page)
        return page

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
