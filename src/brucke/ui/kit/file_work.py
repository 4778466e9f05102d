"""Work on files that a slow disk may hold: the window goes on meanwhile, with every key, and one such thing is done at
a time."""

from collections.abc import Callable
from typing import TypeVar

from PyQt6.QtCore import QEventLoop, QTimer
from PyQt6.QtWidgets import QWidget

from ...app.jobs.background import in_background

T = TypeVar("T")
AT_ONCE_S, LOOK_MS = 0.15, 20


class FileWork:
    """`say` tells what is being done where it takes longer than a moment."""

    def __init__(self, window: QWidget, say: Callable[[str], None]):
        self.window, self.say = window, say
        self.busy = ""

    def do(self, what: str, work: Callable[[], T]) -> T:
        """What comes of `work`, or its error. Errors: OSError where another is not done yet."""
        if self.busy:
            raise OSError(f"{self.busy} is not done yet; try again when it is")
        answer = in_background("files", work, AT_ONCE_S)
        if not answer.done():
            self.busy = what
            self.say(f"{what} …")
            loop, timer = QEventLoop(self.window), QTimer(self.window)
            timer.timeout.connect(lambda: loop.quit() if answer.done() else None)
            timer.start(LOOK_MS)
            try:
                loop.exec()
            finally:
                timer.stop()
                self.busy = ""
            if not answer.done():
                raise OSError(f"{what} was not done when the program ended")
        return answer.result()
