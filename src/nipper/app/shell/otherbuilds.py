"""Logs from when a pack had another count of cells: asked which one left, they are read on."""

from PySide6.QtCore import Slot
from PySide6.QtWidgets import QGridLayout, QLineEdit, QVBoxLayout, QWidget

from nipper.app.document import Document
from nipper.app.document.records import OtherBuild
from nipper.app.widgets.basic import SEMI, button, clear, label
from nipper.app.widgets.units import UNITS
from nipper.core.errors import RangeError

ASKED = (
    "Without the cells that left, the older logs go on with those that stayed. The voltages of the "
    "pack and its chargers are rescaled by the finding in Charge."
)


class OtherBuilds(QWidget):
    """Hidden while every log has the cells that its pack has now."""

    def __init__(self, document: Document, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._document = document
        self._builds: list[OtherBuild] = []
        self.fields: list[QLineEdit | None] = []
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(label("Logs of an earlier build", weight=SEMI))
        self._grid = QGridLayout()
        self._grid.setHorizontalSpacing(16)
        layout.addLayout(self._grid)
        self._trouble = label("", "act", wrap=True)
        layout.addWidget(self._trouble)
        layout.addWidget(label(ASKED, "soft", wrap=True))

    def refresh(self) -> None:
        """Look for such logs again."""
        records = self._document.records
        self._builds = [b for pack in records.packs for b in records.other_builds(pack)]
        self.setVisible(bool(self._builds))
        self._trouble.setText("")
        self.fields = []
        clear(self._grid)
        for row, build in enumerate(self._builds):
            self._grid.addWidget(label(_found(build), wrap=True), row, 0)
            self.fields.append(self._ask(row, build) if build.left > 0 else None)
        self._grid.setColumnStretch(0, 1)

    def _ask(self, row: int, build: OtherBuild) -> QLineEdit:
        field = QLineEdit()
        field.setMaximumWidth(110)
        field.setMaxLength(60)
        field.setPlaceholderText(UNITS.text("which" if build.left == 1 else "which, which"))
        field.setAccessibleName(UNITS.text(f"Which cell of {build.before} left {build.pack.name}"))
        field.setProperty("row", row)
        field.returnPressed.connect(self._note)
        done = button("Left the pack", "", "Noted among the events; taken out there, it is undone")
        done.setProperty("row", row)
        done.clicked.connect(self._note)
        self._grid.addWidget(label(f"cell (of 1 to {build.before})", "soft"), row, 1)
        self._grid.addWidget(field, row, 2)
        self._grid.addWidget(done, row, 3)
        return field

    @Slot()
    def _note(self) -> None:
        from nipper.core.logs.builds import KIND, CellsChanged, typed_cells

        row = int(self.sender().property("row"))
        build, field = self._builds[row], self.fields[row]
        assert field is not None
        try:
            left = typed_cells(field.text(), build.before, build.left)
        except RangeError as error:
            self._trouble.setText(str(error))
            return
        note = CellsChanged(before=build.before, left=left).model_dump_json()
        self._document.history.add_event(self._when_s(build), KIND, note, build.pack.id)
        self.refresh()

    def _when_s(self, build: OtherBuild) -> float:
        """After the last older row; where newer logs tell when it was back at work, before them."""
        logs = [log for log in self._document.bench.logs.all() if log.pack == build.pack.id]
        after = [log.first_s for log in logs if log.first_s > build.last_s]
        return min(after, default=max(build.last_s, self._document.bench.clock()))


def _found(build: OtherBuild) -> str:
    """What was found, in a sentence."""
    logs = "1 log is" if build.logs == 1 else f"{build.logs} logs are"
    found = f"{build.pack.name} has {build.now} cells; {logs} of {build.before}."
    if build.left < 0:
        return f"{found} They stay in the bench as they are, and are not judged."
    asked = "Which cell left?" if build.left == 1 else f"Which {build.left} cells left?"
    return f"{found} {asked}"
