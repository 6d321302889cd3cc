"""Build: the bank as built, its current, sense leads, cells, joining, capacity, first power."""

from datetime import tzinfo
from functools import cached_property
from typing import TYPE_CHECKING, cast

from PySide6.QtCore import Slot

from nipper.app.document import Document
from nipper.app.stage import PagedView
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
        self.add_makers(
            self._make_built,
            self._make_current,
            self._make_taps,
            self._make_cells,
            self._make_joining,
            self._make_capacity,
            self._make_power,
        )
        self.follow(
            self.refresh,
            document.settings.changed,
            document.records.changed,
            document.pack_changed,
            document.history.events_changed,
        )
        self.refresh()

    def _make_built(self) -> "BuiltPage":
        from nipper.app.stages.build.built import BuiltPage

        page = BuiltPage(self._document, self._theme, self._zone)
        page.asked.connect(self._show_named)
        return page

    def _make_current(self) -> "CurrentPage":
        from nipper.app.stages.build.current import CurrentPage

        return CurrentPage(self._document, self._theme)

    def _make_taps(self) -> "TapsPage":
        from nipper.app.stages.build.taps import TapsPage

        return TapsPage(self._document, self._theme)

    def _make_cells(self) -> "CellsPage":
        from nipper.app.stages.build.cells import CellsPage

        return CellsPage(self._document, self._theme)

    def _make_joining(self) -> "JoiningPage":
        from nipper.app.stages.build.joining import JoiningPage

        return JoiningPage(self._document, self._theme)

    def _make_capacity(self) -> "CapacityPage":
        from nipper.app.stages.build.capacity import CapacityPage

        return CapacityPage(self._document, self._theme, self._zone)

    def _make_power(self) -> "PowerPage":
        from nipper.app.stages.build.power import PowerPage

        page = PowerPage(self._document, self._theme, PAGES)
        page.asked.connect(self.show_page)
        return page

    @cached_property
    def built(self) -> "BuiltPage":
        """The bank as a drawing."""
        return cast("BuiltPage", self.page(PAGES["built"]))

    @cached_property
    def current(self) -> "CurrentPage":
        """What flows through each part."""
        return cast("CurrentPage", self.page(PAGES["current"]))

    @cached_property
    def taps(self) -> "TapsPage":
        """The sense leads."""
        return cast("TapsPage", self.page(PAGES["taps"]))

    @cached_property
    def cells(self) -> "CellsPage":
        """Cells as delivered."""
        return cast("CellsPage", self.page(PAGES["cells"]))

    @cached_property
    def joining(self) -> "JoiningPage":
        """Packs before they are joined."""
        return cast("JoiningPage", self.page(PAGES["joining"]))

    @cached_property
    def capacity(self) -> "CapacityPage":
        """Capacity tests."""
        return cast("CapacityPage", self.page(PAGES["capacity"]))

    @cached_property
    def power(self) -> "PowerPage":
        """First power."""
        return cast("PowerPage", self.page(PAGES["power"]))

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
