"""The menu behind the setup's name: recent ones, the file, and what has no place of its own."""

from typing import TYPE_CHECKING

from PyQt6.QtCore import QPoint
from PyQt6.QtWidgets import QMenu

if TYPE_CHECKING:
    from .window import Window

MOST_RECENT = 5
MENU = (
    "new", "open", "save", "save_as", "double", "name", "", "export", "import", "", "undo", "redo",
    "", "everywhere", "", "night", "larger", "smaller", "fold", "keys", "", "quit",
)  # fmt: skip


def show_menu(window: "Window") -> None:
    menu = QMenu(window)
    for path in window.documents.recent()[:MOST_RECENT]:
        action = menu.addAction(path.name)
        assert action is not None
        action.setToolTip(str(path))
        action.triggered.connect(lambda _checked=False, path=path: window.open_file(path))
    menu.addSeparator()
    for id in MENU:
        if id:
            menu.addAction(window.actions_table.by_id[id])
        else:
            menu.addSeparator()
    button = window.deck.menu
    menu.exec(button.mapToGlobal(QPoint(0, button.height())))
