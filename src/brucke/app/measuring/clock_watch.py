"""Clocks watched while sound runs, from the music itself: what we send, against where it comes in again. No measuring
sound, no waiting."""

import math
import time
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass, field

import numpy as np
from PyQt6.QtCore import QObject, pyqtSignal

from ...core.document.setup import Setup
from ...core.knowledge.quantities import ROUND_TRIP
from ...core.measure.drift import Drift
from ...core.measure.leakage import REACH_S
from ...core.measure.live_drift import came_back, so_far
from ...engine.processes.link import EngineLink
from ...engine.step.plan import F32
from ...words.measurements import stepped_text
from ..engine.live_engine import LiveEngine
from ..session.session import Session

EVERY_S, SPAN_S = 5.0, 5.4
BELIEVED_STEP_S = 1.0
MOST = 1500  # looks that are kept: two hours
SLID_S = 0.010
SAME_WAY_S = 0.001  # two looks at one way: clocks that slide by 200 ppm between them
RECENT_S = 12.0  # two looks and a little

# What is sent, “listeners/ID” or of the part that sets the beat “parts/ID”; and the “parts/ID” in which it comes in
# again.
Pair = tuple[str, str]


@dataclass
class Watched:
    """`times_s` since the first look, `lags_s` how much later it came in again; `drift` what they say, None while they
    are too few."""

    times_s: list[float] = field(default_factory=list)
    lags_s: list[float] = field(default_factory=list)
    looks: int = 0
    drift: Drift | None = None
    told: int = 0  # steps that were said
    since_s: float = 0.0  # when what it costs was measured last
    found_at: float = -math.inf  # monotonic time at which it was last found

    def comes_back_s(self, now: float) -> float | None:
        """How much later it comes in again just now; None where it does not, or was found once, which may be
        accident."""
        return self.lags_s[-1] if len(self.lags_s) >= 2 and now - self.found_at < RECENT_S else None

    def picked_up_s(self, now: float) -> float | None:
        """The same of a microphone: its way from the headphones is short, and as long as it was at the look before. A
        tune that two play together comes at other distances, and is none."""
        lag = self.comes_back_s(now)
        if lag is None or lag > REACH_S or abs(lag - self.lags_s[-2]) > SAME_WAY_S:
            return None
        return lag

    def slid_s(self, at_s: float) -> float:
        """By how much it has slid by then since it was measured, jumps apart; 0 while that could be accident."""
        d = self.drift
        return d.ppm * 1e-6 * (at_s - self.since_s) if d is not None and abs(d.ppm) > 2 * d.ppm_error else 0.0


def pairs(setup: Setup) -> list[Pair]:
    """Where something of ours may come in again: what returns from a listener, and microphones before which somebody
    hears the lead."""
    sounds = [p for p in setup.parts if p.channels]
    returns = [(f"listeners/{p.returns_from}", f"parts/{p.id}") for p in sounds if p.returns_from]
    heard = [(f"parts/{p.follows}", f"parts/{p.id}") for p in sounds if p.source == "microphone" and p.follows]
    return [*returns, *heard]


class ClockWatch(QObject):
    """`of` by pair, anew whenever sound begins anew or other parts are there."""

    changed = pyqtSignal()

    def __init__(self, session: Session, running: LiveEngine):
        super().__init__()
        self.session, self.running = session, running
        self.of: dict[Pair, Watched] = {}
        self._pool = ThreadPoolExecutor(1)
        self._answer: Future[dict[Pair, tuple[float | None, Drift | None]]] | None = None
        self._began = self._next = self._at = 0.0
        self._generation: tuple[object, ...] = ()
        self._closed = False
        self._measured: list[int] = []
        session.changed.connect(self._measured_anew)

    def comes_back_s(self, listener: str) -> float | None:
        """How much later what a listener gets comes in again, where it does just now: it is heard there."""
        now = time.monotonic()
        found = [w.comes_back_s(now) for pair, w in self.of.items() if pair[0] == f"listeners/{listener}"]
        return next((lag for lag in found if lag is not None), None)

    def slides_s(self, now: float) -> dict[Pair, float]:
        """What has slid by SLID_S or more by now, between two looks as the last ones say, while it still comes in."""
        slid = {pair: w.slid_s(now - self._began) for pair, w in self.of.items() if now - w.found_at < RECENT_S}
        return {pair: seconds for pair, seconds in slid.items() if abs(seconds) >= SLID_S}

    def _measured_anew(self) -> None:
        """From a new measurement on it begins to slide anew."""
        measured = [m.sequence for m in self.session.knowledge.measurements if ROUND_TRIP.ids(m.key)]
        if measured != self._measured:
            self._measured = measured
            for w in self.of.values():
                w.since_s = time.monotonic() - self._began

    def tick(self) -> None:
        """Once a frame: a look every EVERY_S."""
        if self._closed:
            return
        if self._answer is not None:
            if self._answer.done():
                answer, self._answer = self._answer, None
                self._take(answer.result())
            return
        now, link, setup = time.monotonic(), self.running.link, self.session.setup
        if link is None or self.running.state != "running":
            self._generation = ()
            return
        generation = (id(link), link.restarts, setup.rate_hz, tuple(pairs(setup)))
        if generation != self._generation:
            self._generation, self._began, self._next = generation, now, now + EVERY_S
            self.of = {pair: Watched() for pair in pairs(setup)}
            self.changed.emit()
        if now >= self._next and self.of:
            self._next, self._at = now + EVERY_S, now - self._began
            self._answer = self._pool.submit(self._look, self._heard(link, setup), setup.rate_hz)

    def _heard(self, link: EngineLink, setup: Setup) -> dict[str, F32]:
        """[channels, frames] of what is watched, and of nothing else."""
        wanted = {id for pair in self.of for id in pair}
        parts = [(p.id, i, len(p.channels)) for i, p in enumerate(setup.parts) if f"parts/{p.id}" in wanted]
        heard = [(x.id, i, x.channels) for i, x in enumerate(setup.listeners) if f"listeners/{x.id}" in wanted]
        return {name: link.newest(rows, SPAN_S) for name, rows in link.track_rows(parts, heard).items() if rows}

    def _look(self, sounds: dict[str, F32], rate_hz: int) -> dict[Pair, tuple[float | None, Drift | None]]:
        """In a thread: nothing of it is written there."""
        found = {}
        for pair, w in self.of.items():
            if any(id not in sounds for id in pair):
                continue
            sent, heard = (np.ascontiguousarray(sounds[id].mean(axis=0), np.float32) for id in pair)
            lag = came_back(sent, heard, rate_hz, w.lags_s[-1] if w.lags_s else None)
            drift = w.drift
            if lag is not None:
                drift = so_far(np.array([*w.times_s, self._at]), np.array([*w.lags_s, lag]), rate_hz)
            found[pair] = (lag, drift)
        return found

    def _take(self, found: dict[Pair, tuple[float | None, Drift | None]]) -> None:
        for pair, (lag, drift) in found.items():
            w = self.of.get(pair)
            if w is None:
                continue
            w.looks += 1
            if lag is not None:
                w.found_at = time.monotonic()
                w.times_s, w.lags_s = [*w.times_s, self._at][-MOST:], [*w.lags_s, lag][-MOST:]
            w.drift = drift
            steps = drift.steps if drift is not None else ()
            # One from farther away is most likely another place in the song that sounds alike.
            if len(steps) > w.told and abs(steps[-1].seconds) <= BELIEVED_STEP_S:
                self.session.noticed.emit(stepped_text(self.session.setup, *pair, steps[-1].seconds), "amber")
            w.told = len(steps)
        self.changed.emit()

    def close(self) -> None:
        self._closed = True  # the window's clock may tick once more
        self._pool.shutdown(wait=False, cancel_futures=True)
