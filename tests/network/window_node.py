"""One Brucke with its window, pressed and typed into by lines of JSON; see `node.py`."""

import os
import sys
from pathlib import Path

from node import Node
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QAbstractButton, QApplication, QLineEdit

from brucke.engine.processes.forked import FORKS
from brucke.ui.shell.app import make_app
from brucke.ui.shell.window import Window


class WindowNode(Node):
    def make_app(self):
        app, self.theme, _settings = make_app()
        return app

    def show(self):
        self.window = Window(self.theme, self.studio)
        self.window.resize(1280, 800)
        self.window.places.make_all()
        self.window.show()
        self.window.activateWindow()

    @property
    def front(self):
        """The dialog where there is one, else the window."""
        dialog = self.window.tools.shown
        return dialog if dialog is not None and dialog.isVisible() else self.window

    def do(self, do, **given):
        match do:
            case "press":
                found = [
                    b for b in (*self.front.findChildren(QAbstractButton), *self.window.findChildren(QAbstractButton))
                    if b.isVisible() and b.isEnabled() and given["text"] in (b.text(), b.accessibleName())
                ]  # fmt: skip
                assert found, [b.text() for b in self.front.findChildren(QAbstractButton) if b.isVisible()]
                QTest.mouseClick(found[0], Qt.MouseButton.LeftButton)
            case "type":
                field = next(f for f in self.front.findChildren(QLineEdit) if f.isVisible() and f.hasFocus())
                QTest.keyClicks(field, given["text"])
            case "key":
                keys = {"Ctrl+T": (Qt.Key.Key_T, Qt.KeyboardModifier.ControlModifier), "F9": (Qt.Key.Key_F9,),
                        "F5": (Qt.Key.Key_F5,), "Esc": (Qt.Key.Key_Escape,)}  # fmt: skip
                QTest.keyClick(self.front, *keys[given["key"]])
            case "shot":
                for _ in range(20):
                    self.app.processEvents()
                (self.window if given.get("window") else self.front).grab().save(given["file"])
            case "texts":
                from brucke.ui.kit.label import Words

                return {"texts": [w.text() for w in self.front.findChildren(Words) if w.isVisible()]}
            case _:
                return super().do(do, **given)
        QApplication.processEvents()
        return {}


if __name__ == "__main__":
    FORKS.prepare()
    WindowNode(Path(sys.argv[1]), Path(os.environ["HOME"])).run()
