"""Starting the window: arguments, a virtual screen where there is none, fonts and theme, and the
walk that takes pictures.
"""

import argparse
import builtins
import gc
import importlib
import os
import shutil
import subprocess
import sys
import tempfile
from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING

if (
    TYPE_CHECKING
):  # imported late at run time: the arguments are read, and a screen is found, before Qt is loaded
    from types import TracebackType
    from zoneinfo import ZoneInfo

    from PySide6.QtCore import QSettings

    from nipper.app.shell.window import Window

PICTURES = "demo-pictures"
AHEAD_MS = 600  # after the first paint, which wants the machine for itself


def _arguments(argv: Sequence[str]) -> argparse.Namespace:
    parser = argparse.ArgumentParser(
        prog="nipper", description="Bench companion of a lithium battery pack builder."
    )
    parser.add_argument("file", nargs="?", help="a bench, a setup file or a log")
    parser.add_argument("--demo", action="store_true", help="start with the demo bench")
    parser.add_argument(
        "--pictures",
        metavar="FOLDER",
        help="walk through all views, write their pictures there, and end",
    )
    parser.add_argument("--theme", choices=("desktop", "light", "dark"), help="for this start only")
    return parser.parse_args(argv)


def has_screen() -> bool:
    """Whether a window can be shown: a display, or a platform chosen on purpose."""
    return bool(
        os.environ.get("DISPLAY")
        or os.environ.get("WAYLAND_DISPLAY")
        or os.environ.get("QT_QPA_PLATFORM")
    )


def main(argv: Sequence[str]) -> int:
    """Open the window, or walk through it on a virtual screen where there is none."""
    arguments = _arguments(argv)
    if not has_screen():
        return _on_virtual_screen(argv, arguments)
    return run(arguments)


def _on_virtual_screen(argv: Sequence[str], arguments: argparse.Namespace) -> int:
    """Start again under Xvfb and take pictures; without Xvfb, on Qt's own offscreen platform."""
    if not arguments.demo:
        sys.stderr.write(
            "nipper: expected a display (DISPLAY or WAYLAND_DISPLAY), there is none; "
            "nipper --demo walks through the demo without one\n"
        )
        return 2
    again = [sys.executable, "-m", "nipper", *argv]
    if not arguments.pictures:
        again += ["--pictures", PICTURES]
    runner = shutil.which("xvfb-run")
    if runner and shutil.which("xauth"):
        return subprocess.call(
            [runner, "-a", "-s", "-screen 0 1280x800x24", *again],
            env={**os.environ, "QT_QPA_PLATFORM": "xcb"},
        )
    server = shutil.which("Xvfb")
    if server:
        return _under_xvfb(server, again)
    return subprocess.call(again, env={**os.environ, "QT_QPA_PLATFORM": "offscreen"})


def _under_xvfb(server: str, again: list[str]) -> int:
    """Run under an Xvfb of our own, which says itself which display number was free."""
    read_end, write_end = os.pipe()
    command = [
        server,
        "-displayfd",
        str(write_end),
        "-screen",
        "0",
        "1280x800x24",
        "-nolisten",
        "tcp",
    ]
    screen = subprocess.Popen(command, pass_fds=(write_end,), stderr=subprocess.DEVNULL)
    os.close(write_end)
    try:
        with os.fdopen(read_end) as pipe:
            number = pipe.readline().strip()
        if not number:
            return subprocess.call(again, env={**os.environ, "QT_QPA_PLATFORM": "offscreen"})
        return subprocess.call(
            again, env={**os.environ, "DISPLAY": f":{number}", "QT_QPA_PLATFORM": "xcb"}
        )
    finally:
        screen.terminate()
        screen.wait()


def load() -> None:
    """Load Qt without its import hook, which reads the source of every module that comes after,
    for spellings nobody here uses; and without Python's collector, which finds nothing by then.
    """
    gc.disable()  # the sweeper takes over
    plain = builtins.__import__
    importlib.import_module("PySide6.QtCore")
    builtins.__import__ = plain


def show(window: "Window") -> None:
    """Show it; a little later load what the stages will need. The program itself is no garbage."""
    from PySide6.QtCore import QTimer

    from nipper.app.garbage import put_aside

    window.show()
    put_aside()
    QTimer.singleShot(AHEAD_MS, load_rest)


def load_rest() -> None:
    """What the stages will need, beside the window's thread."""
    from nipper.app.garbage import put_aside
    from nipper.app.jobs import Job
    from nipper.app.shell.stages import load_ahead

    job = Job(load_ahead, ticks=True)
    job.done.connect(put_aside)
    job.start()


def run(arguments: argparse.Namespace) -> int:
    """The window itself."""
    load()
    from PySide6.QtCore import QSettings, Qt, QTimer
    from PySide6.QtWidgets import QApplication

    from nipper.app.garbage import Sweeper
    from nipper.app.jobs import last_jobs
    from nipper.app.memory import GivesBack, keep_little
    from nipper.app.shell.preferencespage import size_factor

    keep_little()
    QApplication.setHighDpiScaleFactorRoundingPolicy(
        Qt.HighDpiScaleFactorRoundingPolicy.PassThrough
    )
    scale = size_factor(QSettings("nipper", "nipper"))
    if scale and not arguments.pictures:
        os.environ.setdefault("QT_SCALE_FACTOR", scale)
    app = QApplication([sys.argv[0]])
    app.setApplicationName("nipper")
    app.setOrganizationName("nipper")
    app.setStyle("Fusion")
    Sweeper(app)
    GivesBack(app)
    walking = arguments.pictures is not None
    scratch = tempfile.TemporaryDirectory(prefix="nipper-walk-") if walking else None
    settings = (
        QSettings(str(Path(scratch.name) / "settings.ini"), QSettings.Format.IniFormat)
        if scratch
        else QSettings()
    )
    if walking:
        settings.setValue("language", "en")  # the pictures of the docs
    window = make_window(
        settings, arguments.theme or str(settings.value("theme", "light" if walking else "desktop"))
    )
    tell_troubles(window)
    show(window)
    if walking:
        from nipper.app.shell.walk import Walk

        walk = Walk(window, Path(arguments.pictures))
        QTimer.singleShot(0, walk.begin)
    elif arguments.demo:
        QTimer.singleShot(0, window.open_demo)
    elif arguments.file:
        QTimer.singleShot(0, lambda: window.opener.open(arguments.file))
    status = app.exec()
    if scratch:
        scratch.cleanup()
    if not last_jobs():
        sys.stdout.flush()
        os._exit(status)  # a device or a disk that does not answer is not waited for
    return status


def make_window(
    settings: "QSettings", theme_mode: str, data_folder: Path | None = None
) -> "Window":
    """The dressed window, with its actions; nothing heavy is imported for it."""
    from PySide6.QtGui import QColor
    from PySide6.QtWidgets import QApplication

    from nipper.app.shell.commands import ACTIONS
    from nipper.app.shell.preferencespage import form_of
    from nipper.app.shell.window import Window
    from nipper.app.theme import Theme, load_fonts
    from nipper.app.theme.marks import icon
    from nipper.app.widgets.units import UNITS

    load_fonts()
    UNITS.use(form_of(settings))
    speak(UNITS.form.language)
    theme = Theme(theme_mode, QApplication.instance())
    theme.apply()
    QApplication.setWindowIcon(icon("app", QColor("#23292F"), 64))
    window = Window(theme, local_zone(), settings, data_folder or default_data_folder())
    window.install(ACTIONS)
    return window


def speak(language: str) -> None:
    """Qt's own words (Cancel, Save, the names of keys) in a language it knows."""
    from PySide6.QtCore import QCoreApplication, QLibraryInfo, QTranslator

    app = QCoreApplication.instance()
    if not language or app is None:
        return
    translator = QTranslator(app)
    place = QLibraryInfo.path(QLibraryInfo.LibraryPath.TranslationsPath)
    if translator.load(f"qtbase_{language}", place):
        app.installTranslator(translator)


def tell_troubles(window: "Window") -> None:
    """What a file, the disk or a device causes anywhere is said in the window, not on a
    terminal.
    """
    from nipper.core.errors import NipperError

    before = sys.excepthook

    def hook(
        kind: type[BaseException], error: BaseException, trace: "TracebackType | None"
    ) -> None:
        if isinstance(error, NipperError):
            window.say(str(error))
        else:
            before(kind, error, trace)

    sys.excepthook = hook


def default_data_folder() -> Path:
    """Where benches are kept unless the user says otherwise."""
    import platformdirs

    return Path(platformdirs.user_data_dir("nipper"))


def local_zone() -> "ZoneInfo":
    """The desktop's time zone by its name; UTC where it has none."""
    from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

    from PySide6.QtCore import QTimeZone

    try:
        return ZoneInfo(bytes(QTimeZone.systemTimeZoneId().data()).decode() or "UTC")
    except (ZoneInfoNotFoundError, ValueError):
        return ZoneInfo("UTC")
