"""The style sheet, written from the palette's roles."""

from importlib import resources

from nipper.app.theme.palette import Palette

CHEVRON = str(resources.files("nipper.app.theme") / "icons" / "chevron.svg").replace("\\", "/")


def style_sheet(p: Palette) -> str:
    """Qt style sheet for the whole window."""
    return f"""
QWidget {{ color: {p.ink}; }}
QMainWindow, #page, QScrollArea, #scrolled {{ background: {p.paper}; border: none; }}
#topLine {{ background: {p.paper}; border-bottom: 1px solid {p.line}; }}
#rail {{ background: {p.paper}; border-right: 1px solid {p.line}; }}
#follows, #followsBody {{ background: {p.side}; }}
#follows {{ border-left: 1px solid {p.line}; }}
#card {{ background: {p.card}; border: 1px solid {p.line}; border-radius: 5px; }}
#tour {{ background: {p.card}; border: 2px solid {p.copper}; border-radius: 6px; }}
#onCard {{ background: {p.card}; border: none; }}
#rule {{ background: {p.line}; max-height: 1px; min-height: 1px; }}
QLabel {{ background: transparent; }}
QLabel[role="soft"] {{ color: {p.soft}; }}
QLabel[role="faint"] {{ color: {p.faint}; }}
QLabel[role="copper"] {{ color: {p.copper}; }}
QLabel[role="act"] {{ color: {p.act}; }}
QLabel[role="ok"] {{ color: {p.ok}; }}
QLabel[role="watch"] {{ color: {p.watch}; }}
QLabel[role="herd"] {{ color: {p.herd}; }}
QLabel[role="highest"] {{ color: {p.highest}; }}
QLabel[role="lowest"] {{ color: {p.lowest}; }}
QToolTip {{ background: {p.card}; color: {p.ink}; border: 1px solid {p.line}; padding: 4px; }}
QPushButton {{
  background: transparent; color: {p.copper}; border: 1px solid {p.copper}; border-radius: 4px;
  padding: 3px 10px; font-weight: 600; }}
QPushButton:hover, QPushButton:checked {{ background: {p.copper_wash}; }}
QPushButton:pressed {{ background: {p.copper}; color: {p.on_copper}; }}
QPushButton:focus {{ border: 2px solid {p.copper}; padding: 2px 9px; }}
QPushButton:disabled {{ color: {p.faint}; border-color: {p.line}; }}
QPushButton[kind="main"] {{ background: {p.copper}; color: {p.on_copper}; }}
QPushButton[kind="main"]:disabled {{
  background: {p.line}; color: {p.soft}; border-color: {p.line}; }}
QPushButton[kind="quiet"] {{ border: 1px solid {p.line}; color: {p.ink}; font-weight: 400; }}
QPushButton[kind="quiet"]:checked {{ background: {p.copper_wash}; border-color: {p.copper}; }}
QPushButton[kind="quiet"]:focus {{ border: 1px solid {p.copper}; padding: 3px 10px; }}
QPushButton[kind="bare"] {{ border: none; color: {p.soft}; font-weight: 400; padding: 3px 6px; }}
QPushButton[kind="bare"]:hover {{ color: {p.copper}; background: transparent; }}
QPushButton[kind="bare"]:focus {{ border: 1px solid {p.line}; padding: 2px 5px; }}
QLineEdit, QComboBox, QDateEdit, QPlainTextEdit {{
  background: {p.card}; border: 1px solid {p.line}; border-radius: 3px; padding: 3px 6px;
  selection-background-color: {p.copper}; selection-color: {p.on_copper}; }}
QLineEdit:focus, QComboBox:focus, QDateEdit:focus, QPlainTextEdit:focus {{
  border: 1px solid {p.copper}; }}
QLineEdit[own="true"], QComboBox[own="true"] {{ border: 1px solid {p.copper}; }}
QLineEdit[wrong="true"] {{ border: 1px solid {p.act}; background: {p.act_wash}; }}
QSpinBox QLineEdit, QDateEdit QLineEdit {{ border: none; padding: 0; background: transparent; }}
QLineEdit:disabled, QComboBox:disabled {{ color: {p.faint}; }}
QToolButton {{
  background: {p.card}; border: 1px solid {p.line}; border-radius: 3px; padding: 3px 6px;
  text-align: left; }}
QToolButton:focus {{ border: 1px solid {p.copper}; }}
QToolButton::menu-indicator {{
  image: url({CHEVRON}); width: 12px; height: 12px; subcontrol-position: center right;
  right: 5px; }}
QComboBox::drop-down, QDateEdit::drop-down {{
  border: none; width: 18px; subcontrol-position: center right; }}
QComboBox::down-arrow, QDateEdit::down-arrow {{ image: url({CHEVRON}); width: 12px; height: 12px; }}
QDateEdit {{ padding-right: 20px; }}
QCalendarWidget QWidget {{ background: {p.card}; color: {p.ink}; }}
QComboBox QAbstractItemView {{
  background: {p.card}; color: {p.ink}; border: 1px solid {p.line};
  selection-background-color: {p.copper_wash}; selection-color: {p.ink}; }}
QMenuBar {{ background: {p.paper}; }}
QMenuBar::item {{ background: transparent; padding: 3px 9px; }}
QMenuBar::item:selected, QMenu::item:selected {{ background: {p.copper_wash}; color: {p.ink}; }}
QMenu {{ background: {p.card}; border: 1px solid {p.line}; }}
QMenu::item {{ padding: 4px 22px; }}
QMenu::item:disabled {{ color: {p.faint}; }}
QMenu::separator {{ height: 1px; background: {p.line}; margin: 3px 8px; }}
QTableView, QTableWidget, QListWidget, QTreeView, QTextBrowser {{
  background: {p.card}; border: 1px solid {p.line}; gridline-color: {p.grid};
  selection-background-color: {p.copper_wash}; selection-color: {p.ink}; }}
QHeaderView::section {{
  background: {p.paper}; color: {p.soft}; border: none; border-bottom: 1px solid {p.line};
  padding: 3px 6px; }}
QHeaderView {{ background: {p.paper}; }}
QTableCornerButton::section {{ background: {p.paper}; border: none; }}
QScrollBar:vertical {{ background: transparent; width: 9px; margin: 0; }}
QScrollBar:horizontal {{ background: transparent; height: 9px; margin: 0; }}
QScrollBar::handle {{
  background: {p.line}; border-radius: 4px; min-height: 24px; min-width: 24px; }}
QScrollBar::handle:hover {{ background: {p.faint}; }}
QScrollBar::add-line, QScrollBar::sub-line {{ width: 0; height: 0; }}
QScrollBar::add-page, QScrollBar::sub-page {{ background: transparent; }}
QProgressBar {{
  background: {p.card}; border: 1px solid {p.line}; border-radius: 3px; text-align: center;
  max-height: 14px; }}
QProgressBar::chunk {{ background: {p.copper}; border-radius: 2px; }}
QCheckBox {{ spacing: 7px; }}
"""
