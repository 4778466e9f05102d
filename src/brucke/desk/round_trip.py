"""Measuring the round trip through the running engine: warning, sound, analysis, evidence."""

import math
import time
from concurrent.futures import Future, ThreadPoolExecutor

from PyQt6.QtCore import QObject, pyqtSignal

from ..core.knowledge.evidence import Measurement
from ..core.knowledge.learned import measuring_pair, now, round_trip_measurement
from ..core.measure.round_trip import Refusal, RoundTrip, round_trip
from ..core.measure.stimulus import StimulusKind
from ..engine.processes.link import MeasureHandle
from ..words import timing
from .running import Running
from .session import Session

COUNT_S = 3.0  # counted down before anything sounds
CONFIRM_DB = -24.0  # one quiet sweep
HALF_FRAME = 0.5
SEARCH_S = 0.4
METHOD_WORDS = {"sweep": "sweeps", "sequence": "sequences"}


class Measuring(QObject):
    """`state`: idle, counting, sounding, analysing. `message` is the newest outcome, `failed` whether it was none;
    `confirming` while one sweep asks whether what was measured is still so."""

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
        self.failed = self.confirming = False
        self._from = 0.0
        self._handle: MeasureHandle | None = None
        self._pool = ThreadPoolExecutor(1)
        self._answer: Future[RoundTrip | Refusal] | None = None

    @property
    def busy(self) -> bool:
        return self.state != "idle"

    @property
    def unconfirmed(self) -> Measurement | None:
        """What counts and was not confirmed since something may have moved it."""
        session, pair = self.session, measuring_pair(self.session.setup)
        found = session.situation.round_trip(pair[0]) if pair is not None else None
        return found if found is not None and session.knowledge.unconfirmed(found) else None

    def confirm(self) -> None:
        """One quiet sweep: is what was measured still so?"""
        if not self.busy and self.unconfirmed is not None:
            self.begin(confirming=True)

    @property
    def count(self) -> int:
        """Seconds until it sounds, 0 when it does."""
        left = COUNT_S - (time.monotonic() - self._from)
        return max(1, math.ceil(left)) if self.state == "counting" else 0

    def begin(self, confirming: bool = False) -> None:
        """Counts down first, then the sound."""
        if self.busy:
            return
        self.confirming = confirming
        if self.session.live.on_air:
            self._refuse("on_air")
        elif measuring_pair(self.session.setup) is None:
            self._refuse("no_capture")
        elif self.running.state != "running":
            self._refuse("not_running")
        else:
            self.message, self.failed, self.share = "", False, 0.0
            self._from = time.monotonic()
            self._set("counting")

    def cancel(self) -> None:
        if self.busy:
            self._end_sound()
            self._refuse("cancelled")

    def _set(self, state: str) -> None:
        self.state = state
        self.changed.emit()

    def _refuse(self, code: str, values: dict[str, float] | None = None) -> None:
        self.message, self.failed = timing.refusal_text(code, values or {}), True
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
        elif self.state == "counting":
            self.share = 0.0
            if time.monotonic() - self._from >= COUNT_S:
                self._sound()
            else:
                self.changed.emit()
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
        kind: StimulusKind = "sweep" if self.confirming else self.kind
        level_db = min(self.level_db, CONFIRM_DB) if self.confirming else self.level_db
        self._handle = link.measure(listener, capture, kind, level_db, 1 if self.confirming else self.repeats)
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
        if self.confirming:
            self._compare(found)
            return
        m = round_trip_measurement(self.session.setup, pair[0], found, METHOD_WORDS[self.kind])
        self.message, self.failed = f"Round trip {timing.ms_text(found.seconds, 2)}.", False
        self._answer = None
        self.state = "idle"
        self.session.learn(self.session.knowledge.with_measurement(m))
        self.changed.emit()

    def _compare(self, found: RoundTrip) -> None:
        """Whether one sweep agrees with what was measured before; what changed, where it does not."""
        old, self._answer, self.state = self.unconfirmed, None, "idle"
        if old is None:
            self.changed.emit()
            return
        moved = found.seconds - old.value_s
        day = timing.day_text(old.date)
        if abs(moved) * self.session.setup.rate_hz <= HALF_FRAME:
            self.message, self.failed = f"Confirmed: the round trip is as it was measured on {day}.", False
            self.session.learn(self.session.knowledge.with_confirmation(old, now()))
        else:
            more = "longer" if moved > 0 else "shorter"
            amount = timing.ms_text(abs(moved), 2)
            self.message = f"Not confirmed: the round trip is {amount} {more} than on {day}. Measure again."
            self.failed = True
        self.changed.emit()
