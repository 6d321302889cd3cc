"""Small things of the user's own that the bench keeps: PV modules, the typing sheet's ticks and
menu.
"""

import json
from typing import TYPE_CHECKING

from pydantic import TypeAdapter, ValidationError

from nipper.core.setup import Module
from nipper.store import Bench

if TYPE_CHECKING:
    from nipper.core.assembly.notes import BuildNotes
    from nipper.core.link.record import LinkNotes
    from nipper.core.report.topbalance import Session

MODULES, TICKS, MENU = "pv-modules", "typing-ticks", "typing-menu"
FIRST = 1  # the number of a bench's first pack
LINK, TOP_BALANCE, BUILD = "link", "top-balance", "build"


class Shelf:
    """Modules, ticks and menu of a bench."""

    def __init__(self, bench: Bench) -> None:
        self._kept = bench.shelf

    def modules(self) -> list[Module]:
        """The PV modules kept in this bench."""
        kept = json.loads(self._kept.value(MODULES) or "[]")
        return [Module.model_validate(module) for module in kept]

    def keep_module(self, module: Module) -> None:
        """Keep a module; one of the same name is replaced."""
        self._keep_modules([*(m for m in self.modules() if m.name != module.name), module])

    def forget_module(self, name: str) -> None:
        """Take a module out of the list."""
        self._keep_modules([m for m in self.modules() if m.name != name])

    def _keep_modules(self, modules: list[Module]) -> None:
        self._kept.keep(MODULES, json.dumps([m.model_dump() for m in modules]))

    def ticks(self, pack: int) -> dict[str, str]:
        """What was ticked on a pack's typing sheet: path and the value that was typed."""
        kept = self._kept.value(f"{TICKS}:{pack}")
        if kept is None and pack == FIRST:  # a bench of before had one sheet for all packs
            kept = self._kept.value(TICKS)
        try:
            return TypeAdapter(dict[str, str]).validate_json(kept or "{}")
        except ValidationError:
            return {}

    def keep_ticks(self, ticks: dict[str, str], pack: int) -> None:
        """Keep what is ticked."""
        self._kept.keep(f"{TICKS}:{pack}", json.dumps(ticks))

    def menu(self, pack: int) -> str | None:
        """The order of a pack's own BMS, else of all, as the text of its file; None when there is
        none.
        """
        return self._kept.value(f"{MENU}:{pack}") or self._kept.value(MENU)

    def keep_menu(self, text: str, pack: int | None) -> None:
        """Keep the order of a pack's own BMS; of all that have none of their own without a pack."""
        self._kept.keep(MENU if pack is None else f"{MENU}:{pack}", text)

    def link_notes(self) -> "LinkNotes":
        """What is done of the link, and what both displays showed."""
        from nipper.core.link.record import parse_notes

        return parse_notes(self._kept.value(LINK))

    def keep_link_notes(self, notes: "LinkNotes") -> None:
        """Keep what is done of the link."""
        self._kept.keep(LINK, notes.model_dump_json())

    def build_notes(self) -> "BuildNotes":
        """Cells as delivered, readings, torques and words for parts."""
        from nipper.core.assembly.notes import parse_notes

        return parse_notes(self._kept.value(BUILD))

    def keep_build_notes(self, notes: "BuildNotes") -> None:
        """Keep what is noted of the building."""
        self._kept.keep(BUILD, notes.model_dump_json())

    def top_balance(self) -> "Session | None":
        """The top balance that is under way."""
        from nipper.core.report.topbalance import parse_session

        return parse_session(self._kept.value(TOP_BALANCE))

    def keep_top_balance(self, session: "Session | None") -> None:
        """Keep a top balance that begins, or forget one that is over."""
        self._kept.keep(TOP_BALANCE, "" if session is None else session.model_dump_json())
