"""The menu behind the setup's name: recent ones, the file, and what has no place of its own."""

from collections.abc import Callable, Iterable
from pathlib import Path

from PyQt6.QtCore import QPoint
from PyQt6.QtWidgets import QWidget

from ..kit.menu import Menu
from .actions import Actions

MOST_RECENT = 5
MENU = (
    "new", "open", "save", "save_as", "double", "name", "", "export", "import", "", "undo", "redo",
    "", "find", "everywhere", "goodbye", "small_form", "hour_page", "card", "two_computers", "",
    "questions", "", "night", "larger", "smaller", "fold", "detail", "keys", "control", "meanings", "copy_happened",
    "home", "",
    "quit",
)  # fmt: skip


def show_menu(button: QWidget, actions: Actions, recent: Iterable[Path], open_file: Callable[[Path], object]) -> None:
    """Below `button`, until something was chosen or the menu left."""
    menu = Menu(button)
    for path in list(recent)[:MOST_RECENT]:
        action = menu.addAction(path.name)
        assert action is not None
        action.setToolTip(str(path))
        action.triggered.connect(lambda _checked=False, path=path: open_file(path))
    menu.addSeparator()
    for id in MENU:
        if id:
            menu.addAction(actions.by_id[id])
        else:
            menu.addSeparator()
    menu.exec(button.mapToGlobal(QPoint(0, button.height())))
