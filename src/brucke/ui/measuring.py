"""Measuring the round trip through the running engine: warning, sound, analysis, evidence."""

import time
from concurrent.futures import Future, ThreadPoolExecutor

from PyQt6.QtCore import QObject, pyqtSignal

from .. import words
from ..core.measure.round_trip import Refusal, RoundTrip, round_trip
from ..core.measure.stimulus import StimulusKind
from ..engine.link import MeasureHandle
from ..rehearse.evidence import measuring_pair, round_trip_measurement
from .running import Running
from .session import Session

WARN_S = 1.5
SEARCH_S = 0.4
METHOD_WORDS = {"sweep": "sweeps", "sequence": "sequences"}


class Measuring(QObject):
    """`state`: idle, warning, sounding, analysing. `message` is the newest outcome, `failed` whether it was none."""

    changed = pyqtSignal()

    def __init__(self, session: Session, running: Running):
        super().__init__()
        self.session, self.running = session, running
        self.kind: StimulusKind = "sweep"
        self.level_db = -18.0
        self.repeats = 4
        self.cable = True
        self.state = "idle"
        self.share = 0.0
        self.message = ""
        self.failed = False
        self._from = 0.0
        self._handle: MeasureHandle | None = None
        self._pool = ThreadPoolExecutor(1)
        self._answer: Future[RoundTrip | Refusal] | None = None

    @property
    def busy(self) -> bool:
        return self.state != "idle"

    def begin(self) -> None:
        """A word of warning first, then the sound."""
        if self.busy:
            return
        if self.session.live.on_air:
            self._refuse("on_air")
        elif measuring_pair(self.session.setup) is None:
            self._refuse("no_capture")
        elif self.running.state != "running":
            self.message, self.failed = "Start first: nothing is running yet.", True
            self.changed.emit()
        else:
            self.message, self.failed, self.share = "", False, 0.0
            self._from = time.monotonic()
            self._set("warning")

    def cancel(self) -> None:
        if self.busy:
            self._end_sound()
            self._refuse("cancelled")

    def _set(self, state: str) -> None:
        self.state = state
        self.changed.emit()

    def _refuse(self, code: str, values: dict[str, float] | None = None) -> None:
        self.message, self.failed = words.refusal_text(code, values or {}), True
        self._answer = None
        self._set("idle")

    def _end_sound(self) -> None:
        link = self.running.link
        if link is not None and self._handle is not None:
            link.end_measuring()
            link.tell_world("cable", state="unplugged")
        self._handle = None

    def tick(self) -> None:
        link = self.running.link
        if self.state == "idle":
            return
        if link is None or self.running.state != "running":
            self._handle = None
            self._refuse("engine")
        elif self.state == "warning":
            self.share = 0.0
            if time.monotonic() - self._from >= WARN_S:
                self._sound()
        elif self.state == "sounding":
            self._watch()
        elif self.state == "analysing" and self._answer is not None and self._answer.done():
            self._conclude(self._answer.result())

    def _sound(self) -> None:
        link, pair = self.running.link, measuring_pair(self.session.setup)
        assert link is not None
        assert pair is not None
        _, listener, capture = pair
        if self.cable:
            link.tell_world("cable", state="plugged")
        self._handle = link.measure(listener, capture, self.kind, self.level_db, self.repeats)
        self._from = time.monotonic()
        self._set("sounding")

    def _watch(self) -> None:
        link = self.running.link
        assert link is not None
        assert self._handle is not None
        word, self.share = link.measure_state
        if word == "refused":
            self._end_sound()
            self._refuse("on_air")
        elif word == "done":
            handle, recording = self._handle, link.measured(self._handle)
            self._end_sound()
            rate = self.session.setup.rate_hz
            self._answer = self._pool.submit(
                round_trip, handle.stimulus, recording, handle.repeats, handle.spacing, rate, SEARCH_S
            )
            self._set("analysing")
        else:
            self.changed.emit()

    def _conclude(self, found: RoundTrip | Refusal) -> None:
        if isinstance(found, Refusal):
            self._refuse(found.code, found.values)
            return
        pair = measuring_pair(self.session.setup)
        assert pair is not None
        m = round_trip_measurement(self.session.setup, pair[0], found, METHOD_WORDS[self.kind])
        self.message, self.failed = f"Round trip {words.ms_text(found.seconds, 2)}.", False
        self._answer = None
        self.state = "idle"
        self.session.learn(self.session.knowledge.with_measurement(m))
        self.changed.emit()
