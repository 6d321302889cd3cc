"""The guide: pages, words, settings, rules and keys, searched and followed by their links."""

from collections.abc import Sequence

from PySide6.QtCore import Qt, QUrl, Signal, Slot
from PySide6.QtGui import QTextBlockFormat, QTextCharFormat, QTextCursor, QTextFormat
from PySide6.QtWidgets import (
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QTextBrowser,
    QVBoxLayout,
    QWidget,
)

from nipper.app.actions import Action
from nipper.app.theme import Theme
from nipper.app.widgets.basic import SEMI, label
from nipper.app.widgets.units import UNITS
from nipper.core import guide
from nipper.core.guide import Topic
from nipper.core.language.pages import in_words

MOST = 80
ALL = {
    "all:word": ("Words", guide.words),
    "all:setting": ("Settings", guide.settings),
    "all:rule": ("What the rules look at", guide.rules),
}
GO_THERE = "Go to the field"


class HelpPage(QWidget):
    """A list of topics beside the one that is read; ``wanted`` carries the path of a setting."""

    wanted = Signal(str)

    def __init__(
        self, actions: Sequence[Action], theme: Theme, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.setObjectName("page")
        self._actions, self._theme, self._link = actions, theme, ""
        self.line = QLineEdit(placeholderText=UNITS.text("Search the guide"))
        self.line.setAccessibleName(UNITS.text("Search the guide"))
        self.line.setClearButtonEnabled(True)
        self.list, self.text = QListWidget(), QTextBrowser()
        self.list.setAccessibleName(UNITS.text("Topics of the guide"))
        self.text.setAccessibleName(UNITS.text("The guide"))
        self.text.setOpenLinks(False)
        self.text.document().setDocumentMargin(14.0)
        self.list.setFixedWidth(250)
        layout, left = QVBoxLayout(self), QVBoxLayout()
        layout.setContentsMargins(18, 14, 18, 14)
        layout.addWidget(label("Guide", size=16, weight=SEMI))
        left.addWidget(self.line)
        left.addWidget(self.list, 1)
        columns = QHBoxLayout()
        columns.addLayout(left)
        columns.addWidget(self.text, 1)
        layout.addLayout(columns, 1)
        self.setFocusProxy(self.line)
        self.line.textChanged.connect(self._fill)
        self.list.currentItemChanged.connect(self._chosen)
        self.text.anchorClicked.connect(self._followed)
        theme.changed.connect(self._dress)
        self._fill("")
        self.explain("page:start")

    @property
    def link(self) -> str:
        """What is read."""
        return self._link

    def explain(self, link: str) -> None:
        """Show a topic by its link; one that leads nowhere is passed over."""
        text = self._text(link)
        if text is None:
            return
        self._link = link
        self.text.setMarkdown(in_words(text, UNITS.text))
        self._show_cautions()
        self.text.moveCursor(QTextCursor.MoveOperation.Start)
        self._mark(link)

    def _text(self, link: str) -> str | None:
        if link == "all:keys":
            return _keys(self._actions)
        if link in ALL:
            title, entries = ALL[link]
            return "\n\n".join([f"# {title}", *(f"**{t.title}** {t.text}" for t in entries())])
        topic = guide.explained(link)
        if topic is None:
            return None
        return f"# {topic.title[:1].upper()}{topic.title[1:]}\n\n{topic.text}{_more(topic)}"

    def _show_cautions(self) -> None:
        """What is quoted in a page is its caution."""
        block = self.text.document().begin()
        while block.isValid():
            if block.blockFormat().hasProperty(QTextFormat.Property.BlockQuoteLevel):
                cursor, words, room = QTextCursor(block), QTextCharFormat(), QTextBlockFormat()
                words.setForeground(self._theme.colour("act"))
                room.setLeftMargin(0.0)
                room.setTopMargin(10.0)
                cursor.select(QTextCursor.SelectionType.BlockUnderCursor)
                cursor.mergeCharFormat(words)
                cursor.mergeBlockFormat(room)
            block = block.next()

    def _mark(self, link: str) -> None:
        """The list shows where one is, when it holds the topic."""
        self.list.blockSignals(True)
        rows = [self.list.item(i) for i in range(self.list.count())]
        at = [i for i, row in enumerate(rows) if row.data(Qt.ItemDataRole.UserRole) == link]
        self.list.setCurrentRow(at[0] if at else -1)
        self.list.blockSignals(False)

    @Slot(str)
    def _fill(self, typed: str) -> None:
        found = (
            [(t.link, _named(t)) for t in guide.find(typed, UNITS.text)[:MOST]]
            if typed
            else _contents()
        )
        self.list.blockSignals(True)
        self.list.clear()
        for link, title in found or [("", "nothing with these words")]:
            item = QListWidgetItem(UNITS.text(title))
            item.setData(Qt.ItemDataRole.UserRole, link)
            item.setToolTip(UNITS.text(title))
            self.list.addItem(item)
        self.list.blockSignals(False)
        if typed and found:
            self.explain(found[0][0])
        else:
            self._mark(self._link)

    @Slot(QListWidgetItem)
    def _chosen(self, item: QListWidgetItem | None, *_: object) -> None:
        if item is not None:
            self.explain(item.data(Qt.ItemDataRole.UserRole))

    @Slot(QUrl)
    def _followed(self, url: QUrl) -> None:
        link = QUrl.fromPercentEncoding(url.toString().encode())
        if link.startswith("field:"):
            self.wanted.emit(link.removeprefix("field:"))
        else:
            self.explain(link)

    @Slot()
    def _dress(self, *_: object) -> None:
        if self._link:  # links and cautions are drawn in the tones of the theme
            self.explain(self._link)


def _contents() -> list[tuple[str, str]]:
    """The pages in the order of the work, and the lists."""
    pages = [(f"page:{name}", guide.page(name).title) for name in guide.PAGES]
    return [*pages, *((link, title) for link, (title, _) in ALL.items()), ("all:keys", "Keys")]


def _named(topic: Topic) -> str:
    kind = topic.link.partition(":")[0]
    return topic.title if kind == "page" else f"{topic.title}  ·  {kind}"


def _more(topic: Topic) -> str:
    """Where one can go from an entry."""
    kind, _, name = topic.link.partition(":")
    ways = [f"[{GO_THERE}](<field:{name}>)"] if kind == "setting" else []
    if f"all:{kind}" in ALL:
        ways.append(f"[{ALL[f'all:{kind}'][0]}](all:{kind})")
    return f"\n\n{' · '.join(ways)}" if ways else ""


def _keys(actions: Sequence[Action]) -> str:
    rows = [f"| {a.title} | {a.keys} | {a.help} |" for a in actions]
    return "\n".join(["# Keys", "", "| command | keys | what it does |", "|---|---|---|", *rows])
