"""A page to keep or to send: plain large lines, as PDF or as a picture."""

from pathlib import Path

from PyQt6.QtCore import QMarginsF
from PyQt6.QtGui import QFont, QImage, QPageLayout, QPageSize, QPainter, QPdfWriter, QTextDocument

from ...words.translation import _
from ..theme.fonts import FAMILY

MARGIN_MM = 20.0
PICTURE_PX = (1240, 1754)  # A4 at 150 dots an inch
PICTURE_MARGIN_PX = 120
WHITE = 0xFFFFFFFF  # of paper, whatever the window looks like
KINDS = "Pages (*.pdf);;Pictures (*.png)"


def text_page(text: str) -> QTextDocument:
    page = QTextDocument()
    page.setDefaultFont(QFont(FAMILY, 14))
    page.setPlainText(text)
    return page


def save_page(page: QTextDocument, file: Path) -> str:
    """Written as what its name ends in, PDF where that is neither; what to say of it."""
    try:
        with file.open("wb"):
            pass
    except OSError as e:
        return _("Not saved. {name}: {what}.").format(name=file.name, what=(e.strerror or str(e)).lower())
    if file.suffix.lower() == ".png":
        return (
            _("Saved as {name}.").format(name=file.name)
            if _picture(page).save(str(file))
            else _("Not saved. {name} took nothing.").format(name=file.name)
        )
    writer = QPdfWriter(str(file))
    writer.setPageSize(QPageSize(QPageSize.PageSizeId.A4))
    writer.setPageMargins(QMarginsF(MARGIN_MM, MARGIN_MM, MARGIN_MM, MARGIN_MM), QPageLayout.Unit.Millimeter)
    page.print(writer)
    return _("Saved as {name}.").format(name=file.name)


def _picture(page: QTextDocument) -> QImage:
    image = QImage(*PICTURE_PX, QImage.Format.Format_RGB32)
    image.fill(WHITE)
    scale = 2.0
    laid = page.clone()
    assert laid is not None
    laid.setTextWidth((PICTURE_PX[0] - 2 * PICTURE_MARGIN_PX) / scale)
    p = QPainter(image)
    p.translate(PICTURE_MARGIN_PX, PICTURE_MARGIN_PX)
    p.scale(scale, scale)
    laid.drawContents(p)
    p.end()
    return image
