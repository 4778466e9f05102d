"""Every text that a window shows, gathered as it is painted, with what fields hold, hints say and menus offer."""

from contextlib import contextmanager

from PyQt6.QtGui import QPainter
from PyQt6.QtWidgets import QAbstractSpinBox, QApplication, QComboBox, QLabel, QLineEdit, QTableView, QWidget

from brucke.ui.kit.pictured import Picture


@contextmanager
def painted():
    """The texts that are painted while it lasts. Nothing is shown from a kept picture meanwhile."""
    texts, draw, show = [], vars(QPainter)["drawText"], Picture.show

    def spy(painter, *args):
        texts.extend(a for a in args if isinstance(a, str))
        return draw.__get__(painter, QPainter)(*args)

    QPainter.drawText = spy
    Picture.show = lambda _picture, _widget, painter, _key, paint: paint(painter)
    try:
        yield texts
    finally:
        QPainter.drawText, Picture.show = draw, show


def texts_of(widget: QWidget) -> set[str]:
    """What is read on it and on what it holds that can be seen, the hints on it, and the names a reader of screens
    says."""
    with painted() as texts:
        widget.grab()
    for w in [widget, *widget.findChildren(QWidget)]:
        if not w.isVisibleTo(widget):
            continue
        texts += [w.toolTip(), w.accessibleName(), w.accessibleDescription()]
        if isinstance(w, QLabel | QLineEdit | QAbstractSpinBox):
            texts.append(w.text())
        if isinstance(w, QLineEdit):
            texts.append(w.placeholderText())
        if isinstance(w, QComboBox):
            texts += [w.itemText(i) for i in range(w.count())]
        if isinstance(w, QTableView) and (model := w.model()) is not None:
            texts += [
                str(model.index(r, c).data() or "") for r in range(model.rowCount()) for c in range(model.columnCount())
            ]
    return {t for t in texts if t.strip()}


def dialogs() -> list[QWidget]:
    return [w for w in QApplication.topLevelWidgets() if w.isVisible() and w.isWindow()]
