"""Something that may take its time to answer, asked by a press: the window goes on, and takes the answer when it is
there."""

from collections.abc import Callable
from concurrent.futures import Future
from typing import Generic, TypeVar

from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QWidget

from ...app.jobs.background import BackgroundQueue

T = TypeVar("T")
LOOK_MS = 50


class AskedAside(Generic[T]):
    """`then` gets the answer, which may be an error; nothing is asked again before."""

    def __init__(self, parent: QWidget, ask: Callable[[], T], then: Callable[[Future[T]], None]):
        self._ask, self._then = ask, then
        self._queue = BackgroundQueue("asked")
        self._answer: Future[T] | None = None
        self._timer = QTimer(parent)
        self._timer.setInterval(LOOK_MS)
        self._timer.timeout.connect(self._look)

    def ask(self) -> None:
        if self._answer is None:
            self._answer = self._queue.do(self._ask)
            self._timer.start()

    def _look(self) -> None:
        if self._answer is not None and self._answer.done():
            answer, self._answer = self._answer, None
            self._timer.stop()
            self._then(answer)
