"""The smallest buffer that holds: each is tried under the load there is, dropouts are counted, and what was there is
put back."""

import time

import msgspec
from msgspec.structs import replace
from PyQt6.QtCore import QObject, pyqtSignal

from ...core.aligning.align import timing
from ...core.document.setup import Setup
from ...core.edits.block_edits import set_block, smaller
from ...core.timing.arrivals import ListenerTiming
from ...core.timing.paths import Situation
from ...words.translation import _
from ..engine.live_engine import LiveEngine
from ..recording.take_recorder import TakeRecorder
from ..session.session import Session
from .round_trip import Measurer

SETTLE_S, TRY_S, GIVE_UP_S = 2.0, 10.0, 20.0
MARGIN = 0.5  # of a block that may be spent in one that holds


class Tried(msgspec.Struct, frozen=True):
    """One buffer: how long, how many dropouts, the greatest share of a block that was spent."""

    frames: int
    seconds: float
    dropouts: int
    load: float

    @property
    def held(self) -> bool:
        return not self.dropouts

    @property
    def margin(self) -> bool:
        """Whether it holds with some time to spare."""
        return self.held and self.load <= MARGIN


def smallest(tried: list[Tried]) -> Tried | None:
    """The smallest that held with a margin, and above which all did."""
    best = None
    for t in sorted(tried, key=lambda t: -t.frames):
        if not t.margin:
            break
        best = t
    return best


def gains_ms(before: Situation, frames: int) -> dict[str, float]:
    """How much sooner everything of each listener would arrive, in milliseconds: that of its slowest sound."""
    after = Situation(set_block(before.setup, frames), before.knowledge, before.facts)
    now, then = timing(before), timing(after)

    def last(t: ListenerTiming) -> float:
        sounds = [r.arrival.value - r.delay_frames / before.setup.rate_hz for r in t.routes if r.kind != "picture"]
        return max(sounds, default=0.0)

    return {t.listener: (last(t) - last(then.of(t.listener))) * 1e3 for t in now.listeners}


class BufferFinder(QObject):
    """`state`: idle, trying, done. `tried` is what was found; `trying` the frames of the one that runs now."""

    changed = pyqtSignal()

    def __init__(self, session: Session, running: LiveEngine, measuring: Measurer, taking: TakeRecorder):
        super().__init__()
        self.session, self.running, self.measuring, self.taking = session, running, measuring, taking
        self.state, self.message = "idle", ""
        self.tried: list[Tried] = []
        self.trying = 0
        self.settle_s, self.try_s = SETTLE_S, TRY_S
        self._before: Setup | None = None
        self._trial: Setup | None = None
        self._owed: Setup | None = None  # its buffers come back once nobody hears any more
        self._left: list[int] = []
        self._from = self._since = 0.0
        self._dropouts, self._load = -1, 0.0
        session.changed.connect(self._look_for_edits)
        session.replaced.connect(self._replaced)

    @property
    def busy(self) -> bool:
        return self.state == "trying"

    @property
    def best(self) -> Tried | None:
        return smallest(self.tried)

    def why_not(self) -> str:
        """Why it cannot be tried now; empty where it can."""
        if self.session.live.on_air:
            return _("They hear you: F9 first, a smaller buffer may crackle.")
        if self.taking.state != "idle":
            return _("A take is being made. End it first (R).")
        if self.measuring.busy:
            return _("Measuring. Esc ends it, then look for a buffer.")
        return self.running.why_silent

    def begin(self) -> None:
        if self.busy:
            return
        self.message = self.why_not()
        if not self.message:
            self.tried, self._before = [], self.session.setup
            self._left = list(smaller(self._before))
            self.state = "trying"
            self._next()
        self.changed.emit()

    def cancel(self) -> bool:
        """What was there comes back; whether anything was under way."""
        if not self.busy:
            return False
        self._end(_("Stopped; the buffer is as it was."))
        return True

    def use(self) -> None:
        """The best one, as an edit like any other."""
        best, setup = self.best, self.session.setup
        if best is not None and not self.busy and best.frames != setup.block_frames:
            self.session.edit(f"{best.frames} frames", set_block(setup, best.frames), "align", "")

    def tick(self) -> None:
        """Once a frame."""
        if self._owed is not None and not self.session.live.on_air:
            self._give_back()
        if not self.busy:
            return
        now, running = time.monotonic(), self.running
        if self.session.live.on_air:
            self._end(_("Somebody listens now: stopped. The buffer is as it was once nobody hears you any more (F9)."))
            return
        if running.state != "running":
            if now - self._since > GIVE_UP_S:
                self.tried.append(Tried(self.trying, 0.0, 1, 1.0))
                self._end("")
            return
        if self._dropouts < 0:
            if self._from == 0.0:
                self._from = now
            if now - self._from >= self.settle_s:
                self._from, self._dropouts, self._load = now, running.dropouts, 0.0
            return
        if running.link is not None:
            self._load = max(self._load, running.link.load)
        lost = running.dropouts - self._dropouts
        if now - self._from >= self.try_s or lost > 3:
            self.tried.append(Tried(self.trying, now - self._from, lost, self._load))
            if lost or not self._left:
                self._end("")
            else:
                self._next()
                self.changed.emit()

    def _next(self) -> None:
        assert self._before is not None
        self.trying = self._left.pop(0)
        self._since, self._from, self._dropouts = time.monotonic(), 0.0, -1
        self._trial = set_block(self._before, self.trying)
        why = self.session.why_not(self._trial)
        if why:
            self._end(_("{why}: stopped, and the buffer is as it was.").format(why=why))
        elif self._trial != self.session.setup:
            self.session.put(self._trial)

    def _end(self, message: str) -> None:
        """What was there is put back, whatever was edited meanwhile stays."""
        before, self._before, self._trial = self._before, None, None
        self.state, self.message, self.trying = "done", message, 0
        self._owed = before
        self._give_back()
        self.changed.emit()

    def _give_back(self) -> None:
        """The buffers there were, as soon as what runs may be started anew."""
        if self._owed is None:
            return
        after = _with_buffers_of(self.session.setup, self._owed)
        if after == self.session.setup or not self.session.why_not(after):
            self._owed = None
            if after != self.session.setup:
                self.session.put(after)

    def _look_for_edits(self) -> None:
        """Whoever edits meanwhile wants their setup, not a trial."""
        if self.busy and self._trial is not None and self.session.setup != self._trial:
            self._end(_("Something was changed meanwhile: stopped, and the buffer is as it was."))

    def _replaced(self) -> None:
        self._owed = None
        if self.busy:
            self._before = self._trial = None
            self.state, self.message = "idle", ""
            self.changed.emit()


def _with_buffers_of(setup: Setup, before: Setup) -> Setup:
    buffers = {d.id: d.buffer_frames for d in before.devices}
    devices = tuple(replace(d, buffer_frames=buffers.get(d.id, d.buffer_frames)) for d in setup.devices)
    return replace(setup, block_frames=before.block_frames, devices=devices)
