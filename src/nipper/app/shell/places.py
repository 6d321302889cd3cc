"""Where the finder can go beside the commands: settings, findings, cells, events and words."""

from collections.abc import Iterator
from typing import TYPE_CHECKING

from nipper.app.actions import Action, Menu

if TYPE_CHECKING:
    from nipper.app.shell.window import Window

# where a setting stands; Protect has all others
STAGE_OF = (("solar", "charge"), ("other_chargers", "charge"), ("link.", "link"),
            ("charging.rates", "charge"))  # fmt: skip
MOST_EVENTS = 60


def places(window: "Window") -> list[Action]:
    """Everything of the open bench that has a place; nothing without one."""
    if window.document is None:
        return []
    found = [*_settings(), *_parts(window), *_findings(window), *_cells(window)]
    return [*found, *_events(window), *_words()]


def stage_of(path: str) -> str:
    """The stage in which a setting stands."""
    return next((stage for start, stage in STAGE_OF if path.startswith(start)), "protect")


def show_setting(window: "Window", path: str) -> None:
    """Go to the field of a setting."""
    stage = stage_of(path)
    window.go(stage)
    if window.desk:
        window.desk.view(stage).show_field(path)


def _settings() -> Iterator[Action]:
    from nipper.core.report.typingsheet import TITLES

    for path, (section, title) in TITLES.items():
        stage = stage_of(path)
        name = title if section.lower() in title.lower() else f"{section}: {title}"
        yield _place(f"setting.{path}", name, f"a setting: {path}", stage, path)


def _parts(window: "Window") -> Iterator[Action]:
    """The parts of the bank as built."""
    from nipper.core.assembly.parts import bank_parts

    assert window.document
    for part in bank_parts(window.document.named_bank):
        title = f"{part.title[:1].upper()}{part.title[1:]} {part.text}".strip()
        yield _place(f"part.{part.place}", title, "as built", "build", part.settings[0])


def _findings(window: "Window") -> Iterator[Action]:
    document = window.document
    assert document
    for i, found in enumerate(document.judgement.findings):
        path = found.settings[0] if found.settings else ""
        stage = found.stages[0] if found.stages else "protect"
        yield _place(f"finding.{i}", found.message, f"a finding: {found.code}", stage, path)


def _cells(window: "Window") -> Iterator[Action]:
    document = window.document
    assert document
    if document.record is None:
        return
    for cell in range(1, document.setup.cells + 1):

        def go(window: "Window", cell: int = cell) -> None:
            window.go("diagnose")
            if window.desk:
                window.desk.view("diagnose").show_cell(cell)

        yield Action(f"cell.{cell}", f"Cell {cell}", Menu.GO, "all that is known of it", go)


def _events(window: "Window") -> Iterator[Action]:
    from datetime import datetime

    document = window.document
    assert document
    for event in document.history.events()[-MOST_EVENTS:]:
        at = datetime.fromtimestamp(event.time_s, window.zone)
        title = f"{at.day} {at:%b %Y}: {event.note}"
        yield Action(
            f"event.{event.id}", title, Menu.GO, "an event", lambda w: w.side.show("revisions")
        )


def _words() -> Iterator[Action]:
    from nipper.core import guide

    for topic in (*map(guide.page, guide.PAGES), *guide.words()):
        about = topic.text.partition("\n")[0]

        def explain(window: "Window", link: str = topic.link) -> None:
            window.side.explain(link)

        yield Action(topic.link, topic.title, Menu.HELP, about, explain)


def _place(id_: str, title: str, about: str, stage: str, path: str) -> Action:
    def go(window: "Window") -> None:
        window.go(stage)
        if path and window.desk:
            window.desk.view(stage).show_field(path)

    return Action(id_, title, Menu.GO, about, go)
