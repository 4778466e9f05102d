"""The song in a microphone, seen within a second: a look six times a second while both sound, one more right after a
find."""

import time
from concurrent.futures import Future, ThreadPoolExecutor

import numpy as np
from PyQt6.QtCore import QObject

from ...core.measure.leakage import QUIET_DB, WINDOW_S, picked_up
from ...core.units import gain_to_db
from ...engine.step.plan import F32
from ..engine.live_engine import LiveEngine
from ..session.session import Session
from .clock_watch import Pair, pairs

EVERY_S, AGAIN_S = 0.15, 0.1
SAME_S = 0.0004  # two looks that agree: a frame or two, and what the air moves
HELD_S = 1.5  # between two notes it is still so


class LeakWatch(QObject):
    """Microphones before which somebody hears the lead, each against that lead."""

    def __init__(self, session: Session, running: LiveEngine):
        super().__init__()
        self.session, self.running = session, running
        self._pool = ThreadPoolExecutor(1)
        self._answer: Future[dict[Pair, float | None]] | None = None
        self._next, self._closed = 0.0, False
        self._last: dict[Pair, float | None] = {}
        self._found: dict[Pair, tuple[float, float]] = {}

    def picks_up_s(self, now: float) -> dict[Pair, float]:
        """By pair, how much later the lead comes in by the microphone just now, twice found."""
        return {pair: lag for pair, (lag, at) in self._found.items() if now - at < HELD_S}

    def tick(self) -> None:
        """Once a frame."""
        if self._closed:
            return
        now = time.monotonic()
        if self._answer is not None and self._answer.done():
            answer, self._answer = self._answer, None
            self._take(answer.result(), now)
        if self._answer is None and now >= self._next:
            doubtful = any(lag is not None for lag in self._last.values())
            self._next = now + (AGAIN_S if doubtful else EVERY_S)
            sounds = self._sounds()
            if sounds:
                self._answer = self._pool.submit(_look, sounds, self.session.setup.rate_hz)
            else:
                self._last = {}

    def _take(self, found: dict[Pair, float | None], now: float) -> None:
        for pair, lag in found.items():
            before = self._last.get(pair)
            if lag is not None and before is not None and abs(lag - before) < SAME_S:
                self._found[pair] = lag, now
        self._last = found

    def _sounds(self) -> dict[Pair, F32]:
        """[sent and heard, frames] of the pairs in which both sound."""
        link, setup = self.running.link, self.session.setup
        if link is None or self.running.state != "running":
            return {}
        rows = {f"parts/{p.id}": (p.id, i, len(p.channels)) for i, p in enumerate(setup.parts)}
        found = {}
        for sent, came in pairs(setup):
            if sent not in rows or not all(self._sounds_now(rows[x][1]) for x in (sent, came)):
                continue
            by_track = link.track_rows([rows[sent], rows[came]], [])
            sound, first = link.newest([*by_track[sent], *by_track[came]], WINDOW_S), len(by_track[sent])
            found[sent, came] = np.stack([half.mean(axis=0) for half in (sound[:first], sound[first:])])
        return found

    def _sounds_now(self, row: int) -> bool:
        peaks = self.running.part_peaks
        return row < len(peaks) and gain_to_db(float(peaks[row].max())) > QUIET_DB

    def close(self) -> None:
        self._closed = True  # the window's clock may tick once more
        self._pool.shutdown(wait=False, cancel_futures=True)


def _look(sounds: dict[Pair, F32], rate_hz: int) -> dict[Pair, float | None]:
    """In a thread: nothing is written there."""
    return {pair: picked_up(sent, heard, rate_hz) for pair, (sent, heard) in sounds.items()}
