"""The walk through all views: each is shown, waited for and written as a picture. For machines without a screen, and for the docs."""

import sys
from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QObject, QTimer, Slot

from nipper.app.shell.window import Window

POLL_MS = 60
PATIENCE_MS = 180_000
TURNS = 4  # of the loop: words that wrap settle their height when they know their width


class Walk(QObject):
    """Steps through the views of the demo and ends the program."""

    def __init__(self, window: Window, folder: Path) -> None:
        super().__init__(window)
        self._window, self._folder = window, folder
        self._written: list[Path] = []
        self._waited_ms = 0
        self._shown, self._turns = "", 0
        self._steps = self._plan()
        self._timer = QTimer(self, interval=POLL_MS)
        self._timer.timeout.connect(self._look)

    @Slot()
    def begin(self) -> None:
        """Open the demo, then walk."""
        self._folder.mkdir(parents=True, exist_ok=True)
        self._window.resize(1280, 800)
        self._picture("start")
        self._window.open_demo()
        self._timer.start()

    def _plan(self) -> list[tuple[str, Callable[[], object]]]:
        window = self._window

        def beside_other() -> None:
            from nipper.app.stages.record.view import RecordView

            view = window.view("record")
            assert isinstance(view, RecordView)
            view.pick(44, False)
            view.other_pack.click()

        def cell() -> None:
            from nipper.app.stages.diagnose.view import DiagnoseView

            view = window.view("diagnose")
            assert isinstance(view, DiagnoseView)
            view.pick(12)

        def stepped_in() -> None:
            """A cloud at noon of the second day."""
            from nipper.core.simulate.scenario import Event

            window.go("rehearse")
            assert window.forecasts
            window.forecasts.step_in(
                Event(day=1.4, minutes=90.0, sun_share=0.1, note="cloud, day 2")
            )

        def read_link() -> None:
            """The stand-in BMS is read over the link."""
            from nipper.app.jobs import wait_for_jobs
            from nipper.app.shell.readbackpage import ReadBackPage

            found = window.side.show("readback")
            assert isinstance(found, ReadBackPage)
            found.read_link()
            wait_for_jobs(cancel=False)

        def page(stage: str, index: int) -> Callable[[], None]:
            """A stage with one of its figures or pages in front."""

            def show() -> None:
                view = window.view(stage)
                (getattr(view, "show_figure", None) or getattr(view, "show_page"))(index)  # noqa: B009 - of views the checker does not know apart

            return show

        return [
            ("protect", page("protect", 0)),
            ("protect-currents", page("protect", 1)),
            ("protect-temperatures", page("protect", 2)),
            ("protect-schools", page("protect", 3)),
            ("level", lambda: window.go("level")),
            ("charge", page("charge", 0)),
            ("charge-strings", page("charge", 1)),
            ("cold", lambda: window.go("cold")),
            ("rehearse", stepped_in),
            ("record", lambda: window.go("record")),
            ("record-two-packs", beside_other),
            ("diagnose", lambda: window.go("diagnose")),
            ("diagnose-cell", cell),
            ("typing-sheet", lambda: window.side.show("typing")),
            ("read-back", read_link),
            ("revisions", lambda: window.side.show("revisions")),
            ("protect-dark", lambda: (window.theme.set_mode("dark"), page("protect", 0)())[0]),
            ("diagnose-dark", lambda: window.go("diagnose")),
        ]

    @Slot()
    def _look(self) -> None:
        """Wait until the bench is read, then take one view after another."""
        document = self._window.document
        self._waited_ms += POLL_MS
        if self._waited_ms > PATIENCE_MS:
            sys.stderr.write("nipper: the demo was not read in time\n")
            self._end(1)
            return
        if document is None or document.busy or not document.records:
            return
        if not self._steps:
            print("Pictures of all views: " + ", ".join(str(p) for p in self._written), flush=True)
            self._end(0)
            return
        name, show = self._steps[0]
        if self._shown != name:
            self._shown, self._turns = name, 0
            show()
        self._turns += 1
        if self._turns <= TURNS or (
            self._window.forecasts is not None and self._window.forecasts.busy
        ):
            return
        self._steps.pop(0)
        self._picture(name)

    def _picture(self, name: str) -> None:
        path = self._folder / f"{name}.png"
        if not self._window.grab().save(str(path)):
            sys.stderr.write(f"nipper: {path}: expected a place that can be written\n")
        self._written.append(path)

    def _end(self, status: int) -> None:
        from PySide6.QtWidgets import QApplication

        self._timer.stop()
        self._window.close()
        QApplication.exit(status)
