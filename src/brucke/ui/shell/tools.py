"""Every other way of knowing: what is found in recordings, what holds, and what to enter elsewhere."""

from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING, Protocol

from PyQt6.QtWidgets import QDialog, QWidget

from ...app.studio import Studio
from ..kit.file_work import FileWork
from ..theme.theme import Theme
from ..tools.registry import TOOLS

if TYPE_CHECKING:
    from ..places.align.view import AlignView


class Around(Protocol):
    """What they need of the window they stand beside."""

    theme: Theme
    studio: Studio

    @property
    def align(self) -> "AlignView": ...


class Tools:
    """Opens the tools of the registry: one dialog at a time; of a listener they show the one that Align shows."""

    def __init__(self, window: Around):
        self._window, self.theme, self.studio = window, window.theme, window.studio
        self.shown: QDialog | None = None
        assert isinstance(window, QWidget)
        self._work = FileWork(window, lambda said: self.studio.session.noticed.emit(said, "mute"))
        self.handlers: dict[str, Callable[[], None]] = {t.action.id: partial(t.open, self) for t in TOOLS}

    @property
    def listener(self) -> str:
        return self._window.align.listener

    @property
    def parent(self) -> QWidget:
        return self._window.align.window() or self._window.align

    def open(self, tool: str) -> None:
        self.handlers[tool]()

    def close(self) -> None:
        if self.shown is not None:
            self.shown.reject()

    def show(self, dialog: QDialog) -> None:
        self.close()
        self.shown = dialog
        dialog.finished.connect(lambda _code: self._gone(dialog))
        dialog.show()

    def write_file(self, text: str, work: Callable[[], object]) -> None:
        self._work.do(text, work)

    def _gone(self, dialog: QDialog) -> None:
        if self.shown is dialog:
            self.shown = None
        dialog.deleteLater()
