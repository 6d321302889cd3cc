"""The stages that work, and how each one's view is made. Imported when a stage is first shown: plots and tables load libraries the first paint must
not wait for."""

from datetime import tzinfo

from PySide6.QtWidgets import QWidget

from nipper.app.document import Document
from nipper.app.forecasts import Forecasts
from nipper.app.theme import Theme

STAGES = (
    ("protect", "Protect", "2"),
    ("level", "Level", "3"),
    ("charge", "Charge", "4"),
    ("cold", "Cold", "5"),
    ("rehearse", "Rehearse", "7"),
    ("record", "Record", "8"),
    ("diagnose", "Diagnose", "9"),
)


def make_view(
    stage: str, document: Document, forecasts: Forecasts, theme: Theme, zone: tzinfo
) -> QWidget:
    """A stage's view."""
    match stage:
        case "protect":
            from nipper.app.stages.protect.view import ProtectView

            return ProtectView(document, theme)
        case "level":
            from nipper.app.stages.level.view import LevelView

            return LevelView(document, forecasts, theme)
        case "charge":
            from nipper.app.stages.charge.view import ChargeView

            return ChargeView(document, forecasts, theme)
        case "cold":
            from nipper.app.stages.cold.view import ColdView

            return ColdView(document, theme, zone)
        case "rehearse":
            from nipper.app.stages.rehearse.view import RehearseView

            return RehearseView(document, forecasts, theme)
        case "record":
            from nipper.app.stages.record.view import RecordView

            return RecordView(document, theme, zone)
        case _:
            from nipper.app.stages.diagnose.view import DiagnoseView

            return DiagnoseView(document, theme, zone)
