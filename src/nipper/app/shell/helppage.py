"""Keys and words: the table of all actions, from the same list as the menus."""

from collections.abc import Sequence

from PySide6.QtWidgets import QGridLayout, QScrollArea, QVBoxLayout, QWidget

from nipper.app.actions import Action
from nipper.app.theme import BASE_PT, font
from nipper.app.widgets.basic import SEMI, label

WORDS = (
    ("absorption", "the part of a charge in which the voltage is held and the current falls"),
    ("C", "current as a share of capacity: 0.2C of 280 Ah are 56 A"),
    (
        "deviation",
        "highest less lowest cell at one moment; it means little without the voltage and "
        "current at which it was read",
    ),
    ("drift", "charge a cell gains or loses by itself against the others, in mAh a day"),
    (
        "gate",
        "a current and time at which a fuse of the standard must not melt yet, or must have melted",
    ),
    ("herd", "all cells that behave like the median one"),
    (
        "knee",
        "where the charge curve turns steep near full; only there does a deviation tell "
        "charge on LFP",
    ),
    ("offset", "charge of a cell against the median cell, in % of capacity or Ah; + is fuller"),
    (
        "open loop",
        "inverter or charger on its own voltages, without the BMS's limits; closed loop: "
        "the BMS sends them",
    ),
    ("read back", "what the BMS shows, held against what was set"),
    ("release", "the voltage or temperature at which a protection lets go again"),
    (
        "school",
        "one of the ways on which practitioners differ; Protect and Level show what each "
        "costs your bank",
    ),
    ("tail current", "absorption ends early when the current has fallen to this"),
    ("trip", "the value at which a protection switches off, after its delay"),
)


class HelpPage(QScrollArea):
    """All commands with their keys, and the words used."""

    def __init__(self, actions: Sequence[Action], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWidgetResizable(True)
        body = QWidget()
        body.setObjectName("scrolled")
        layout = QVBoxLayout(body)
        layout.setContentsMargins(24, 18, 24, 18)
        layout.setSpacing(8)
        layout.addWidget(label("Keys and words", size=16, weight=SEMI))
        grid = QGridLayout()
        grid.setHorizontalSpacing(18)
        grid.setVerticalSpacing(5)
        for row, action in enumerate(actions):
            keys = label(action.keys, "soft")
            keys.setFont(font(BASE_PT - 0.5, mono=True))
            grid.addWidget(label(action.title, weight=SEMI), row, 0)
            grid.addWidget(keys, row, 1)
            grid.addWidget(label(action.help, wrap=True), row, 2)
        grid.setColumnStretch(2, 1)
        layout.addLayout(grid)
        layout.addWidget(label("Words", size=13, weight=SEMI))
        words = QGridLayout()
        words.setHorizontalSpacing(18)
        for row, (word, meaning) in enumerate(WORDS):
            words.addWidget(label(word, weight=SEMI), row, 0)
            words.addWidget(label(meaning, wrap=True), row, 1)
        words.setColumnStretch(1, 1)
        layout.addLayout(words)
        layout.addWidget(label("What the rules look at", size=13, weight=SEMI))
        layout.addLayout(_rules())
        layout.addStretch(1)
        self.setWidget(body)


def _rules() -> QGridLayout:
    from nipper.core.report.rulebook import entries  # the rules' numerics are needed only here

    grid = QGridLayout()
    grid.setHorizontalSpacing(18)
    for row, (code, about) in enumerate(entries()):
        grid.addWidget(label(code, "soft"), row, 0)
        grid.addWidget(label(about, wrap=True), row, 1)
    grid.setColumnStretch(1, 1)
    return grid
