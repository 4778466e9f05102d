"""A menu below the button that opens it, its first line ready for Enter."""

from collections.abc import Callable, Iterable

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QAbstractButton, QMenu, QWidget

# By the palette, which the theme sets: a menu is made anew each time it opens.
LOOK = """
QMenu { background: palette(base); border: 1px solid palette(mid); border-radius: 8px; padding: 6px; }
QMenu::item { padding: 7px 28px 7px 14px; border-radius: 6px; color: palette(text); background: transparent; }
QMenu::item:selected { background: palette(highlight); color: palette(highlighted-text); }
QMenu::item:disabled { color: palette(placeholder-text); }
QMenu::separator { height: 1px; background: palette(mid); margin: 5px 12px; }
"""


class Menu(QMenu):
    """In the look of everything else."""

    def __init__(self, parent: QWidget):
        super().__init__(parent)
        self.setWindowFlag(Qt.WindowType.FramelessWindowHint)
        self.setAttribute(Qt.WidgetAttribute.WA_TranslucentBackground)
        self.setStyleSheet(LOOK)


def open_menu(button: QAbstractButton, lines: Iterable[tuple[str, Callable[[], None]]]) -> QMenu:
    """`lines` are (what it says, what it does)."""
    menu = Menu(button)
    for text, act in lines:
        action = menu.addAction(text)
        assert action is not None
        action.triggered.connect(lambda _checked=False, act=act: act())
    menu.popup(button.mapToGlobal(QPoint(0, button.height())))
    menu.setActiveAction(menu.actions()[0])
    return menu
