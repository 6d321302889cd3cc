"""The typing sheet without its page: lines in the order of the user's own BMS, ticks, and where
one is. What changes is kept first, and shown then.
"""

import json

from nipper.app.document import Document
from nipper.core.errors import InputError
from nipper.core.report.typingsheet import (
    OWN,
    Item,
    Line,
    Menu,
    dumps_menu,
    load_menu,
    own_lines,
    parse_menu,
    plain_menu,
    sheet,
    with_own,
    without_own,
)
from nipper.core.setup import unlike


def kept_menu(document: Document) -> Menu:
    """The menu order kept in the bench, else the plain one."""
    kept = document.shelf.menu(document.pack.id)
    try:
        return parse_menu(json.loads(kept)) if kept else plain_menu()
    except (InputError, json.JSONDecodeError):
        return plain_menu()


class TypingState:
    """Which lines there are, which is shown, and which are typed in."""

    def __init__(self, document: Document) -> None:
        self._document = document
        self._read_kept()
        self.lines: list[Line] = []
        self.row = 0
        self.only_changed = False

    def _read_kept(self) -> None:
        """The shown pack's own menu and ticks."""
        self.menu = kept_menu(self._document)
        self.ticks = self._document.shelf.ticks(self._document.pack.id)

    def refresh(self) -> None:
        """Make the lines anew; the one that is shown stays it, where it still is."""
        self._read_kept()
        here = self.line.path if self.line else ""
        lines = sheet(self._document.setup, self._document.last_typed, self.menu)
        lines = [line for line in lines if line.changed or not self.only_changed]
        self.lines = [*lines, *own_lines(self.menu)]
        self.row = next((i for i, line in enumerate(self.lines) if line.path == here), 0)

    @property
    def line(self) -> Line | None:
        """The line that is shown."""
        return self.lines[self.row] if self.row < len(self.lines) else None

    def ticked(self, line: Line) -> bool:
        """Whether it is typed in; a value changed since is open again."""
        return self.ticks.get(line.path) == line.value

    @property
    def done(self) -> int:
        """How many lines are typed in."""
        return sum(self.ticked(line) for line in self.lines)

    def choose(self, row: int) -> None:
        """Show another line; beyond the ends the last stays."""
        self.row = min(max(0, row), max(0, len(self.lines) - 1))

    def choose_open(self) -> None:
        """Show the first line that is open, from the one that is shown on."""
        order = [*range(self.row, len(self.lines)), *range(self.row)]
        self.row = next((i for i in order if not self.ticked(self.lines[i])), self.row)

    def tick(self) -> None:
        """The shown line is typed in."""
        if self.line:
            self._keep({**self.ticks, self.line.path: self.line.value})

    def untick(self) -> bool:
        """It is not after all; false where it was not ticked."""
        path = self.line.path if self.line else ""
        if path not in self.ticks:
            return False
        self._keep({p: value for p, value in self.ticks.items() if p != path})
        return True

    def finish(self, note: str) -> None:
        """Keep the settings as typed in, and begin anew: one step."""
        self._document.settings.save()
        with self._document.bench.together():
            self._keep({})
            self._document.note_typed(note)

    def _keep(self, ticks: dict[str, str]) -> None:
        self._document.shelf.keep_ticks(ticks, self._document.pack.id)
        self.ticks = ticks

    # the menu of the user's own BMS

    def item(self) -> Item | None:
        """What the menu knows of the shown line."""
        here = self.line.path if self.line else ""
        return next((item for item in self.menu.items if item.path == here), None)

    def read_menu(self, file: str) -> None:
        """Take a menu order from a file; one that cannot be read changes nothing."""
        self.keep_menu(load_menu(file))

    def keep_menu(self, menu: Menu) -> None:
        """Take another menu order: of all packs where they are alike, else of the shown one."""
        document = self._document
        pack_id = document.pack.id if unlike(document.bank) else None
        document.shelf.keep_menu(dumps_menu(menu), pack_id)
        self.menu = menu
        self.refresh()

    def add_own(self, label: str, value: str) -> None:
        """A line of the user's own; :class:`RangeError` where it is none."""
        self.keep_menu(with_own(self.menu, label, value))

    def remove_own(self) -> None:
        """Take the shown line of the user's own out again."""
        if self.line and self.line.path.startswith(OWN):
            self.keep_menu(without_own(self.menu, self.line.label))

    def reorder(self, paths: list[str]) -> None:
        """Put lines where the BMS asks for them; others follow as they stood."""
        known = {item.path: item for item in self.menu.items}
        others = [item for item in self.menu.items if item.path not in paths]
        mine = [path for path in paths if not path.startswith(OWN)]
        items = [*(known.get(path, Item(path=path)) for path in mine), *others]
        self.keep_menu(self.menu.model_copy(update={"items": items}))

    def change_item(self, **changes: str) -> None:
        """Give the shown line a label or a unit of the user's own."""
        if self.line is None or self.line.path.startswith(OWN):
            return
        items, path = list(self.menu.items), self.line.path
        at = next((i for i, item in enumerate(items) if item.path == path), len(items))
        items[at : at + 1] = [(self.item() or Item(path=path)).model_copy(update=changes)]
        self.keep_menu(self.menu.model_copy(update={"items": items}))
