"""The style sheet and the colours it names.

The sheet names Qt's own colours, and those carry the palette: another palette is then another
dress of the same sheet, and a sheet put over another takes Qt half a second.
"""

import re
from importlib import resources
from string import Template

from PySide6.QtGui import QColor, QPalette

from nipper.app.theme.palette import Palette

FOLDER = resources.files("nipper.app.theme")
Role = QPalette.ColorRole
# each of our roles that the sheet names, and which of Qt's carries it: first those that mean the
# same, then what the sheet leaves Qt no use for
CARRIED = {
    "paper": Role.Window,
    "card": Role.Base,
    "ink": Role.Text,
    "line": Role.Mid,
    "copper": Role.Highlight,
    "on_copper": Role.HighlightedText,
    "faint": Role.PlaceholderText,
    "side": Role.Light,
    "soft": Role.Dark,
    "copper_wash": Role.Midlight,
    "act_wash": Role.Shadow,
    "act": Role.BrightText,
    "ok": Role.LinkVisited,
    "highest": Role.ToolTipBase,
    "lowest": Role.ToolTipText,
    # each widget has its text from the sheet's first rule
    "herd": Role.ButtonText,
    "watch": Role.WindowText,
}
# and what widgets ask for themselves
ALSO = {
    Role.Button: "card",
    Role.AlternateBase: "paper",
    Role.Link: "copper",
}


def style_sheet() -> str:
    """Qt style sheet for the whole window, of any palette."""
    names = {ours: f"palette({_spelt(qts)})" for ours, qts in CARRIED.items()}
    chevron = str(FOLDER / "icons" / "chevron.svg").replace("\\", "/")
    return Template((FOLDER / "sheet.qss").read_text("utf-8")).substitute(names, chevron=chevron)


def _spelt(role: QPalette.ColorRole) -> str:
    """``HighlightedText`` as a sheet has it: ``highlighted-text``."""
    return re.sub(r"(?<=[a-z])([A-Z])", r"-\1", role.name).lower().replace("tool-tip", "tooltip")


def colours(p: Palette) -> QPalette:
    """What carries this palette."""
    out = QPalette()
    for ours, qts in (*CARRIED.items(), *((name, role) for role, name in ALSO.items())):
        out.setColor(qts, QColor(p.role(ours)))
    for role in (Role.Text, Role.WindowText, Role.ButtonText):
        out.setColor(QPalette.ColorGroup.Disabled, role, QColor(p.faint))
    return out
