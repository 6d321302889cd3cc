"""All actions of the window, in one list that can be read. Each runs a method of the window."""

from collections.abc import Callable

from nipper.app.actions import Action, Menu
from nipper.app.shell.stages import STAGES
from nipper.app.shell.window import Window
from nipper.app.shell.writing import (
    write_cells,
    write_charges,
    write_copy,
    write_diagnosis,
    write_log,
    write_open_loop,
    write_setup,
)
from nipper.core.setup import all_alike, unlike


def _has_bench(window: Window) -> bool:
    return window.document is not None


def _has_packs(window: Window) -> bool:
    return window.document is not None and len(window.document.records.packs) > 1


def _has_unlike_packs(window: Window) -> bool:
    return window.document is not None and unlike(window.document.bank)


def _other_scope(window: Window) -> None:
    assert window.document
    settings = window.document.settings
    settings.set_scope(not settings.only_shown)


def _all_alike(window: Window) -> None:
    assert window.document
    settings = window.document.settings
    settings.replace(all_alike(settings.bank), "All packs alike")
    settings.settle()


def _has_log(window: Window) -> bool:
    return window.document is not None and window.document.record is not None


def _can_undo(window: Window) -> bool:
    return window.document is not None and window.document.settings.undo_stack.canUndo()


def _can_redo(window: Window) -> bool:
    return window.document is not None and window.document.settings.undo_stack.canRedo()


def _has_suggestion(window: Window) -> bool:
    return window.first_suggestion() is not None


def _two_packs(window: Window) -> bool:
    return window.document is not None and len(window.document.records.packs) > 1


def _go(stage: str) -> Callable[[Window], object]:
    return lambda window: window.go(stage)


def _next_pack(window: Window) -> None:
    assert window.desk
    window.desk.next_pack()


def _side(name: str) -> Callable[[Window], object]:
    return lambda window: window.side.show(name)


# fmt: off - a table, one action a line
ACTIONS: tuple[Action, ...] = (
    Action(
        "bench.new",
        "New bench",
        Menu.BENCH,
        "Makes a bench from five answers, or from a log alone.",
        Window.new_bench,
        "Ctrl+N",
    ),
    Action(
        "bench.open",
        "Open …",
        Menu.BENCH,
        "Opens a bench, a setup file or a log.",
        lambda w: w.opener.ask(),
        "Ctrl+O",
    ),
    Action(
        "bench.demo",
        "Open the demo",
        Menu.BENCH,
        "Opens a made-up workshop with two packs and three months of logs.",
        Window.open_demo,
    ),
    Action(
        "bench.copy",
        "Save a copy …",
        Menu.BENCH,
        "Writes the bench as it stands to another file.",
        write_copy,
        "Ctrl+Shift+S",
        _has_bench,
    ),
    Action(
        "bench.export-setup",
        "Write the setup file …",
        Menu.BENCH,
        "Writes the settings as an open JSON file.",
        write_setup,
        "",
        _has_bench,
    ),
    Action(
        "bench.open-loop",
        "Write the open-loop sheet …",
        Menu.BENCH,
        "Values for an inverter that nobody talks to, as CSV or PDF.",
        write_open_loop,
        "",
        _has_bench,
    ),
    Action(
        "bench.quit",
        "Quit",
        Menu.BENCH,
        "Closes the window; everything is already kept.",
        Window.close,
        "Ctrl+Q",
    ),
    Action(
        "settings.undo",
        "Undo",
        Menu.SETTINGS,
        "Takes back the last change of the settings.",
        Window.undo,
        "Ctrl+Z",
        _can_undo,
    ),
    Action(
        "settings.redo",
        "Redo",
        Menu.SETTINGS,
        "Makes the change again that was taken back.",
        Window.redo,
        "Ctrl+Shift+Z",
        _can_redo,
    ),
    Action(
        "settings.apply",
        "Apply the first suggestion",
        Menu.SETTINGS,
        "Takes over what the most serious finding proposes; can be undone.",
        Window.apply_first,
        "Ctrl+Return",
        _has_suggestion,
    ),
    Action(
        "settings.type",
        "Type the settings in …",
        Menu.SETTINGS,
        "The typing sheet: one large value at a time, tick by tick.",
        _side("typing"),
        "Ctrl+T",
        _has_bench,
    ),
    Action(
        "settings.read-back",
        "Read back …",
        Menu.SETTINGS,
        "Type what the BMS shows; differences stand out at once.",
        _side("readback"),
        "Ctrl+B",
        _has_bench,
    ),
    Action(
        "settings.revisions",
        "Revisions …",
        Menu.SETTINGS,
        "What was typed in or read back: compare, restore.",
        _side("revisions"),
        "Ctrl+R",
        _has_bench,
    ),
    Action(
        "settings.only-pack",
        "Set all packs, or only this one",
        Menu.SETTINGS,
        "Packs that differ: changes go to the shown pack only, until it is chosen again.",
        _other_scope,
        "Ctrl+Shift+P",
        _has_packs,
    ),
    Action(
        "settings.all-alike",
        "Make all packs alike",
        Menu.SETTINGS,
        "Takes from each pack what it has of its own, but its name and address. Can be undone.",
        _all_alike,
        "",
        _has_unlike_packs,
    ),
    Action(
        "settings.typed-in",
        "Note the settings as typed in",
        Menu.SETTINGS,
        "Keeps the settings as a dated revision: typed into the BMS.",
        Window.note_typed_in,
        "",
        _has_bench,
    ),
    Action(
        "record.import",
        "Import a log …",
        Menu.RECORD,
        "Reads a CSV or spreadsheet from the BMS into this bench.",
        lambda w: w.importer.ask(),
        "Ctrl+I",
        _has_bench,
    ),
    Action(
        "record.reading",
        "A reading by hand …",
        Menu.RECORD,
        "What a screen shows, typed in: the deviation as charge, what trips, and how it goes.",
        _side("reading"),
        "Ctrl+M",
        _has_bench,
    ),
    Action(
        "record.watch",
        "Watch live …",
        Menu.RECORD,
        "Large numbers of the pack as they come, marks, and the comparison after half an hour; the "
        "log a BMS has kept is pulled there too.",
        _side("watch"),
        "Ctrl+W",
        _has_bench,
    ),
    Action(
        "record.top-balance",
        "Top balance …",
        Menu.RECORD,
        "A guided levelling: target without a trip, hours, what to set now and back, how it goes.",
        _side("topbalance"),
        "Ctrl+L",
        _has_bench,
    ),
    Action(
        "record.logs",
        "Packs and logs …",
        Menu.RECORD,
        "Names packs, takes out a log read by mistake, says which cell left.",
        _side("logs"),
        "",
        _has_bench,
    ),
    Action(
        "record.write-log",
        "Write the log …",
        Menu.RECORD,
        "Writes this pack's samples: a plain CSV log, Parquet or a spreadsheet.",
        write_log,
        "",
        _has_log,
    ),
    Action(
        "record.write-charges",
        "Write the charges …",
        Menu.RECORD,
        "Writes this pack's charges as CSV, Parquet or a spreadsheet.",
        write_charges,
        "",
        _has_log,
    ),
    Action(
        "record.write-cells",
        "Write the cells …",
        Menu.RECORD,
        "Writes what is known of this pack's cells as CSV, Parquet or a spreadsheet.",
        write_cells,
        "",
        _has_log,
    ),
    Action(
        "record.write-diagnosis",
        "Write the diagnosis …",
        Menu.RECORD,
        "Writes the findings as a page to print (PDF, HTML), or all of it as an open JSON file.",
        write_diagnosis,
        "",
        _has_log,
    ),
    *(
        Action(
            f"go.{stage.id}",
            stage.title,
            Menu.GO,
            stage.help,
            _go(stage.id),
            f"Ctrl+{stage.key}",
            _has_bench,
        )
        for stage in STAGES
    ),
    Action(
        "go.next-pack",
        "Next pack",
        Menu.GO,
        "Shows the next pack in parallel.",
        _next_pack,
        "Ctrl+P",
        _two_packs,
    ),
    Action(
        "go.find",
        "Find a command",
        Menu.GO,
        "Finds a command by a few letters.",
        lambda w: w.menus.find(),
        "Ctrl+K",
    ),
    Action(
        "view.desktop",
        "As the desktop",
        Menu.VIEW,
        "Light or dark, as the desktop is.",
        lambda w: w.set_theme("desktop"),
    ),
    Action("view.light", "Light", Menu.VIEW, "Paper and ink.", lambda w: w.set_theme("light")),
    Action("view.dark", "Dark", Menu.VIEW, "Graphite.", lambda w: w.set_theme("dark")),
    Action(
        "view.preferences",
        "Preferences",
        Menu.VIEW,
        "Theme, size, and the units of fields.",
        _side("preferences"),
        "Ctrl+,",
    ),
    Action(
        "help.guide",
        "Explain this",
        Menu.HELP,
        "The guide's page for the field or the stage that is looked at.",
        lambda w: w.side.explain_here(),
        "F1",
    ),
    Action(
        "help.first",
        "First steps",
        Menu.HELP,
        "What to do first, and where things are.",
        lambda w: w.side.explain("page:start"),
    ),
    Action(
        "help.tour",
        "Tour of the demo",
        Menu.HELP,
        "Ten stops in a made-up workshop; an open bench is kept and closed.",
        lambda w: w.tour.begin(),
    ),
    Action(
        "help.keys",
        "Keys",
        Menu.HELP,
        "All commands with their keys.",
        lambda w: w.side.explain("all:keys"),
    ),
)
# fmt: on
