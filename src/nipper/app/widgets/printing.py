"""Pages for printing, as PDF through Qt."""

from PySide6.QtCore import QBuffer, QIODevice
from PySide6.QtGui import QPageSize, QPdfWriter, QTextDocument

from nipper.app.theme import BASE_PT, font
from nipper.app.widgets.units import UNITS


def as_pdf(html: str, for_device: bool = False) -> bytes:
    """A page as PDF on A4, in the units and dates its reader is used to; one to type from into a
    device as it is.
    """
    data = QBuffer()
    data.open(QIODevice.OpenModeFlag.WriteOnly)
    writer = QPdfWriter(data)
    writer.setPageSize(QPageSize(QPageSize.PageSizeId.A4))
    page = QTextDocument()
    page.setDefaultFont(font(BASE_PT))
    page.setHtml(UNITS.in_words(html) if for_device else UNITS.text(html))
    page.print_(writer)
    data.close()
    return bytes(data.data().data())
