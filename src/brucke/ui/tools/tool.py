"""One other way of knowing, as a record: the action that opens it, and the question it answers in Align."""

from collections.abc import Callable
from typing import Protocol

import msgspec
from PyQt6.QtWidgets import QDialog, QWidget

from ...app.studio import Studio
from ..kit.action import Action
from ..theme.theme import Theme


class ToolHost(Protocol):
    """What a tool is opened in."""

    theme: Theme
    studio: Studio

    @property
    def listener(self) -> str:
        """The one that Align shows."""

    @property
    def parent(self) -> QWidget: ...

    def show(self, dialog: QDialog) -> None:
        """Beside the window, which goes on; one at a time."""

    def open(self, tool: str) -> None:
        """Another tool, by the id of its action."""

    def write_file(self, text: str, work: Callable[[], object]) -> None:
        """Write a file aside while `text` is said. Errors: what `work` raises."""


class Tool(msgspec.Struct, frozen=True):
    """`question` is the code of one in `words/tools.py`, “” of none, `button` what stands on the button there.
    `open` is what the action does; a service that only this tool needs comes from `studio.service`."""

    action: Action
    question: str
    button: str
    open: Callable[[ToolHost], None]
