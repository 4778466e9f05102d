"""Steps outside while they run: whether anything comes back, whether that clips, and whether it still takes as long as
it was measured to take."""

import time
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass

from msgspec.structs import replace
from PyQt6.QtCore import QObject, pyqtSignal

from ...core.document.setup import Setup
from ...core.knowledge.evidence import Spoil
from ...core.knowledge.quantities import CONTRADICTED, OUTSIDE_STEP
from ...core.measure.correlation import F32
from ...core.routing.captures import capture_channels
from ...core.routing.outside_steps import Placed, circles, path_ids, placed_steps, shared_returns
from ...core.timing.make_evidence import now
from ...engine.step.outside import GONE, NO_RETURN
from ...words.outside_step import fault_text
from ..engine.live_engine import LiveEngine
from ..session.session import Session

LOOKS_S, LISTENS_S, SPAN_S = 0.1, 10.0, 5.0
CLIPS_S = 3.0  # as long after it clipped it is said
OFF_FRAMES, SAME_FRAMES = 1.5, 1.0
SEARCH_S = 0.1


@dataclass
class _Seen:
    """Of one step: how often its return had clipped, when that grew, and where it lay when it was listened to last."""

    clips: int = 0
    clipped: float = -CLIPS_S
    off: float | None = None


class OutsideWatch(QObject):
    """`faults` by place, codes of `words/outside_step.py`; none where all is well."""

    changed = pyqtSignal()

    def __init__(self, session: Session, running: LiveEngine):
        super().__init__()
        self.session, self.running = session, running
        self.faults: dict[int, str] = {}
        self._seen: dict[int, _Seen] = {}
        self._looked = self._listened = 0.0
        self._pool = ThreadPoolExecutor(1)
        self._answer: tuple[Placed, Future[float | None]] | None = None
        self._turn = 0

    def fault(self, place: int) -> str:
        return self.faults.get(place, "")

    def tick(self) -> None:
        moment = time.monotonic()
        if moment - self._looked < LOOKS_S:
            return
        self._looked = moment
        steps = placed_steps(self.session.setup)
        if not steps:
            self._show({})
            self._let_back(())
            return
        self._take_answer()
        self._show({p.step.place: self._fault_of(p, moment) for p in steps})
        if self._answer is None and moment - self._listened > LISTENS_S:
            self._listened = moment
            self._listen(steps)
        self._let_back(tuple(p.step.place for p in steps if p.step.latency_frames))

    def _fault_of(self, placed: Placed, moment: float) -> str:
        setup, step, link = self.session.setup, placed.step, self.running.link
        planned = _planned_fault(setup, placed)
        if planned:
            return planned
        if link is None or self.running.state != "running":
            return ""
        state = link.outside_state(step.place)
        if state in (GONE, NO_RETURN):
            return "gone" if state == GONE else "no_return"
        if step.place in self.session.live.dry_steps:
            return "other_time"
        seen = self._seen.setdefault(step.place, _Seen())
        told, channels = link.inputs()[1], capture_channels(setup)
        places = [channels.index(c) for c in placed.comes]
        clips = sum(int(told[i]) for i in places if i < len(told))  # the engine may not have taken the setup over yet
        if clips > seen.clips:
            seen.clipped = moment
        seen.clips = clips
        return "clips" if moment - seen.clipped < CLIPS_S else ""

    def _show(self, found: dict[int, str]) -> None:
        found = {place: fault for place, fault in found.items() if fault}
        if found == self.faults:
            return
        new = {p: f for p, f in found.items() if self.faults.get(p) != f}
        self.faults = found
        for placed in placed_steps(self.session.setup):
            place = placed.step.place
            if place in new:
                said, fault = fault_text(placed.step.name, new[place]), new[place]
                self.session.stands.emit(said, "coral", lambda p=place, f=fault: self.faults.get(p) == f)
        self.changed.emit()

    # Does it still come back when it was measured to?

    def _listen(self, steps: list[Placed]) -> None:
        """One of them in turn, aside."""
        link = self.running.link
        heard = [p for p in steps if p.step.waits_at(self.session.setup.rate_hz, self.session.setup.block_frames)]
        heard = [p for p in heard if not self.fault(p.step.place)]
        if link is None or self.running.state != "running" or not heard or self.session.live.silent:
            return
        self._turn += 1
        placed = heard[self._turn % len(heard)]
        sound = link.outside_sound(placed.step.place, SPAN_S)
        if sound is not None:
            self._answer = placed, self._pool.submit(_lag, sound, self.session.setup.rate_hz)

    def _take_answer(self) -> None:
        if self._answer is None or not self._answer[1].done():
            return
        (placed, answer), self._answer = self._answer, None
        lag = answer.result() if answer.exception() is None else None
        seen = self._seen.setdefault(placed.step.place, _Seen())
        off = lag - placed.step.latency_frames if lag is not None else None
        if off is None or abs(off) <= OFF_FRAMES:
            seen.off = None if off is not None else seen.off
            return
        if seen.off is not None and abs(off - seen.off) <= SAME_FRAMES:
            self._let_go(placed)
            seen.off = None
        else:
            seen.off = off

    def _let_go(self, placed: Placed) -> None:
        """It is heard dry and in time from now on, until it is measured again."""
        live = self.session.live
        if placed.step.place not in live.dry_steps:
            key = OUTSIDE_STEP.key(*path_ids(placed.step))
            self.session.learn(self.session.knowledge.with_spoil(Spoil(key=key, date=now(), reason=CONTRADICTED)))
            self.session.set_live(replace(live, dry_steps=(*live.dry_steps, placed.step.place)))

    def _let_back(self, measured: tuple[int, ...]) -> None:
        """What was measured again since is heard again; who is gone from its chain is no matter any more."""
        live, setup, known = self.session.live, self.session.setup, self.session.knowledge
        if not live.dry_steps:
            return
        still = {
            p.step.place
            for p in placed_steps(setup)
            if p.step.place in measured and known.counting(OUTSIDE_STEP, setup, *path_ids(p.step)) is None
        }
        kept = tuple(p for p in live.dry_steps if p in still)
        if kept != live.dry_steps:
            self.session.set_live(replace(live, dry_steps=kept))

    def close(self) -> None:
        self._pool.shutdown(wait=False, cancel_futures=True)


def _planned_fault(setup: Setup, placed: Placed) -> str:
    """What is wrong with where it goes, whatever sounds."""
    if any(p == placed for p, _part in circles(setup)):
        return "circle"
    if any(placed in pair for pair in shared_returns(setup)):
        return "shared"
    return ""


def _lag(sound: F32, rate_hz: int) -> float | None:
    """In a thread: by how many frames what came back is later than what went out; None where that cannot be told."""
    from ...core.measure.offset import natural_offset  # SciPy: not before it is needed

    found = natural_offset(sound[0], sound[1], rate_hz, SEARCH_S)
    return found.frames if found.match else None
