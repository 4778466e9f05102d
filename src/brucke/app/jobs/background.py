"""Work that a slow or stalled disk may hold: done in order in a thread that nobody waits for."""

import queue
import threading
from collections.abc import Callable
from concurrent.futures import Future
from typing import Any, TypeVar

T = TypeVar("T")


def in_background(name: str, work: Callable[[], T], wait_s: float = 0.0) -> "Future[T]":
    """One thing in a thread of its own; at once where that takes no longer than `wait_s`."""
    lane = BackgroundQueue(name)
    answer = lane.do(work, wait_s)
    lane.close()
    return answer


class BackgroundQueue:
    """One thing after the other, in a thread that ends with the process, whatever it hangs on."""

    def __init__(self, name: str):
        self._jobs: queue.SimpleQueue[tuple[Future[Any], Callable[[], Any]] | None] = queue.SimpleQueue()
        self._name = name
        self._thread: threading.Thread | None = None

    def do(self, work: Callable[[], T], wait_s: float = 0.0) -> "Future[T]":
        """What comes of it, later; at once where that takes no longer than `wait_s`."""
        answer: Future[T] = Future()
        self._jobs.put((answer, work))
        if self._thread is None:
            self._thread = threading.Thread(target=self._run, name=self._name, daemon=True)
            self._thread.start()
        if wait_s:
            done = threading.Event()
            answer.add_done_callback(lambda _: done.set())
            done.wait(wait_s)
        return answer

    def close(self) -> None:
        """After what was asked for its thread ends."""
        self._jobs.put(None)

    def _run(self) -> None:
        while (job := self._jobs.get()) is not None:
            answer, work = job
            try:
                answer.set_result(work())
            except BaseException as e:
                answer.set_exception(e)
