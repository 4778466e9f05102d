"""Measuring a quantity through the running engine: warning, sound, analysis, evidence."""

import math
import time
from concurrent.futures import Future, ThreadPoolExecutor

import msgspec
import numpy as np
from PyQt6.QtCore import QObject, pyqtSignal

from ...core.document.setup import Setup
from ...core.edits.outside_edits import measured_step
from ...core.knowledge.evidence import Measurement, Spoil
from ...core.knowledge.quantities import CONTRADICTED, OUTSIDE_STEP, QUANTITIES, ROUND_TRIP, Ids, Measurand, Way
from ...core.measure.correlation import F32
from ...core.measure.round_trip import Refusal, RoundTrip, returned_db, round_trip
from ...core.measure.stimulus import StimulusKind
from ...core.timing.make_evidence import measurement, now
from ...engine.processes.messages import Cable
from ...engine.processes.reading import MeasureHandle
from ...words import timing
from ...words.refusals import refusal_text
from ...words.translation import _
from ..engine.live_engine import LiveEngine
from ..session.session import Session

COUNT_S = 3.0  # counted down before anything sounds
CONFIRM_DB = -24.0  # one quiet sweep
HALF_FRAME = 0.5
MOST_ANEW = 3  # how often what blocks were lost in is sounded anew before it is refused
NO_LOSS = frozenset({"silence", "clipped"})  # what a lost block cannot be the reason of
SEARCH_S = 0.4
METHOD_WORDS = {"sweep": "sweeps", "sequence": "sequences"}


class _Fixed(msgspec.Struct, frozen=True):
    """What one measurement is of, whatever is edited or undone meanwhile."""

    setup: Setup
    quantity: Measurand
    way: Way

    def still_in(self, setup: Setup) -> bool:
        """Whether what it would be kept for is still so."""
        q, ids = self.quantity, self.way.ids
        there = setup is self.setup or self.way in (*q.ways(setup), *q.more(setup))
        return there and q.fingerprint(setup, *ids) == q.fingerprint(self.setup, *ids)


class Measurer(QObject):
    """`state`: idle, counting, sounding, analysing. `message` is the newest outcome, `failed` whether it was none;
    `confirming` while one sweep asks whether what was measured is still so. `quantity` is what is measured; `anew` how
    often it began anew, `why_anew` because blocks were lost in the middle or the repeats disagreed."""

    changed = pyqtSignal()

    def __init__(self, session: Session, running: LiveEngine):
        super().__init__()
        self.session, self.running = session, running
        self.quantity: Measurand = ROUND_TRIP
        self._chosen: Ids = ()
        self._fixed: _Fixed | None = None  # from the beginning to the end of one
        self.kind: StimulusKind = "sweep"
        self.level_db = -18.0
        self.count_s = COUNT_S
        self.repeats = 4
        self.cable = True
        self.state = "idle"
        self.share = 0.0
        self.message = ""
        self.failed = self.confirming = False
        self._from = 0.0
        self.anew, self.why_anew = 0, ""
        self._dropouts = 0
        self._handle: MeasureHandle | None = None
        self._pool = ThreadPoolExecutor(1)
        self._heard: tuple[MeasureHandle, F32] = (MeasureHandle(np.zeros(0, np.float32), 1, 1), np.zeros(0, np.float32))
        self._answer: Future[RoundTrip | Refusal] | None = None

    @property
    def busy(self) -> bool:
        return self.state != "idle"

    @property
    def way(self) -> Way | None:
        """What would be measured now: what was chosen, else the first that was not measured yet, else that wants
        confirming."""
        setup, knowledge = self.session.setup, self.session.knowledge
        ways = list(self.quantity.ways(setup))
        wanted = [w for w in (*ways, *self.quantity.more(setup)) if w.ids == self._chosen]
        counting = [(w, knowledge.counting(self.quantity, setup, *w.ids)) for w in ways]
        wanted += [w for w, m in counting if m is None]
        wanted += [w for w, m in counting if m is not None and knowledge.unconfirmed(m)]
        return next(iter([*wanted, *ways]), None)

    @property
    def possible(self) -> dict[str, tuple[Measurand, Way]]:
        """What is to be measured here, by its key; of what only tells more, what was chosen."""
        setup = self.session.setup
        return {
            q.key(*w.ids): (q, w)
            for q in QUANTITIES
            for w in (*q.ways(setup), *(x for x in q.more(setup) if x.ids == self._chosen))
        }

    def choose(self, key: str) -> None:
        """Measure this one of all that can be."""
        setup = self.session.setup
        every = {q.key(*w.ids): (q, w) for q in QUANTITIES for w in (*q.ways(setup), *q.more(setup))}
        if not self.busy and key in every:
            self.quantity, way = every[key]
            self._chosen = way.ids
            self.changed.emit()

    @property
    def unconfirmed(self) -> Measurement | None:
        """What counts and was not confirmed since something may have moved it."""
        session, way = self.session, self.way
        found = session.situation.measured(self.quantity, *way.ids) if way is not None else None
        return found if found is not None and session.knowledge.unconfirmed(found) else None

    def confirm(self) -> None:
        """One quiet sweep: is what was measured still so?"""
        if not self.busy and self.unconfirmed is not None:
            self.begin(confirming=True)

    @property
    def count(self) -> int:
        """Seconds until it sounds, 0 when it does."""
        left = self.count_s - (time.monotonic() - self._from)
        return max(1, math.ceil(left)) if self.state == "counting" else 0

    def begin(self, confirming: bool = False) -> None:
        """Counts down first, then the sound."""
        if self.busy:
            return
        self.confirming = confirming
        if self.session.live.on_air:
            self._refuse("on_air")
        elif self.way is None:
            self._refuse("no_capture")
        elif self.running.state != "running":
            self._refuse("not_running")
        else:
            self._chosen = self.way.ids
            self._fixed = _Fixed(self.session.setup, self.quantity, self.way)
            self.message, self.failed, self.share, self.anew = "", False, 0.0, 0
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
        self.message, self.failed = refusal_text(code, values or {}), True
        self._answer = None
        self._set("idle")

    def _end_sound(self) -> None:
        link = self.running.link
        if link is not None and self._handle is not None:
            link.end_measuring()
            link.tell_world(Cable(plugged=False))
        self._handle = None

    def tick(self) -> None:
        link = self.running.link
        if self.state == "idle":
            return
        if link is None or self.running.state != "running":
            self._handle = None
            self._refuse("engine")
        elif self.state != "analysing" and self.session.live.on_air:
            self._end_sound()
            self._refuse("on_air")
        elif self._fixed is None or not self._fixed.still_in(self.session.setup):
            self._end_sound()
            self._refuse("changed")
        elif self.state == "counting":
            self.share = 0.0
            if time.monotonic() - self._from >= self.count_s:
                self._sound()
            else:
                self.changed.emit()
        elif self.state == "sounding":
            self._watch()
        elif self.state == "analysing" and self._answer is not None and self._answer.done():
            self._conclude(self._answer.result())

    def _sound(self) -> None:
        link = self.running.link
        assert link is not None
        assert self._fixed is not None
        way = self._fixed.way
        if self.cable:
            link.tell_world(Cable(plugged=True))
        self._dropouts = self.running.dropouts
        kind: StimulusKind = "sweep" if self.confirming else self.kind
        level_db = min(self.level_db, CONFIRM_DB) if self.confirming else self.level_db
        self._handle = link.measure(way.listener, way.capture, kind, level_db, 1 if self.confirming else self.repeats)
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
            self._heard = (handle, recording)
            self._answer = self._pool.submit(
                round_trip, handle.stimulus, recording, handle.repeats, handle.spacing, rate, SEARCH_S,
                self._wander_s,
            )  # fmt: skip
            self._set("analysing")
        else:
            self.changed.emit()

    def _conclude(self, found: RoundTrip | Refusal) -> None:
        if isinstance(found, Refusal):
            lost = 0 if found.code in NO_LOSS else self.running.dropouts - self._dropouts
            # A stream that slipped once holds afterwards; one that wanders is refused.
            most = MOST_ANEW if lost else int(found.code == "disagree")
            if self.anew < most:
                self.anew, self.why_anew, self._answer = self.anew + 1, "lost" if lost else found.code, None
                self._sound()
            elif lost:
                self._refuse("lost", {"lost": lost})
            else:
                self._refuse(found.code, found.values)
            return
        fixed = self._fixed
        assert fixed is not None
        if self.confirming:
            self._compare(found)
            return
        m = measurement(fixed.quantity, fixed.setup, fixed.way.ids, found, METHOD_WORDS[self.kind])
        self.message, self.failed = f"{self._name.capitalize()} {timing.ms_text(found.seconds, 2)}.", False
        self._answer = None
        self.state = "idle"
        self.session.learn(self.session.knowledge.with_measurement(m))
        if fixed.quantity is OUTSIDE_STEP:
            self._wait_for_step(fixed, found)
        self.changed.emit()

    def _wait_for_step(self, fixed: _Fixed, found: RoundTrip) -> None:
        """Chains wait for a step outside as long as it was measured to take, and bring it back to its level."""
        handle, recording = self._heard
        setup = self.session.setup
        came_db = returned_db(handle.stimulus, recording, handle.repeats, handle.spacing, found.seconds, setup.rate_hz)
        after = measured_step(setup, fixed.way.ids, found.seconds, -came_db)
        self.session.edit(_("Way of a step outside measured"), after, "shape")

    @property
    def _wander_s(self) -> float:
        """How far the clocks of matched devices on the way may move it."""
        matched = self.session.facts.matched
        return sum(matched[id].wander_s for id in (self.way.ids if self.way else ()) if id in matched)

    @property
    def _name(self) -> str:
        return timing.QUANTITY_NAMES[self.quantity.code]

    def _compare(self, found: RoundTrip) -> None:
        """Whether one sweep agrees with what was measured before; what changed, where it does not."""
        old, self._answer, self.state = self.unconfirmed, None, "idle"
        if old is None:
            self.changed.emit()
            return
        moved = found.seconds - old.air_s - old.value_s
        day = timing.day_text(old.date)
        if abs(moved) * self.session.setup.rate_hz <= HALF_FRAME + self._wander_s * self.session.setup.rate_hz:
            self.message, self.failed = (
                _("Still so: the {name} is as it was measured on {day}.").format(name=self._name, day=day),
                False,
            )
            self.session.learn(self.session.knowledge.with_confirmation(old, now()))
        else:
            more = "longer" if moved > 0 else "shorter"
            amount = timing.ms_text(abs(moved), 2)
            self.message = _(
                "Not so any more: the {name} is {amount} {more} than on {day}, which counts no longer. Measure again."
            ).format(name=self._name, amount=amount, more=more, day=day)
            self.failed = True
            self.session.learn(self.session.knowledge.with_spoil(Spoil(key=old.key, date=now(), reason=CONTRADICTED)))
        self.changed.emit()
