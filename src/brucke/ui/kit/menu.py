"""A menu below the button that opens it, its first line ready for Enter."""

from collections.abc import Callable, Iterable

from PyQt6.QtCore import QPoint
from PyQt6.QtWidgets import QAbstractButton, QMenu


def open_menu(button: QAbstractButton, lines: Iterable[tuple[str, Callable[[], None]]]) -> QMenu:
    """`lines` are (what it says, what it does)."""
    menu = QMenu(button)
    for text, act in lines:
        action = menu.addAction(text)
        assert action is not None
        action.triggered.connect(lambda _checked=False, act=act: act())
    menu.popup(button.mapToGlobal(QPoint(0, button.height())))
    menu.setActiveAction(menu.actions()[0])
    return menu
