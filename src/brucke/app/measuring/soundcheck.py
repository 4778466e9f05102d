"""The soundcheck in the window: findings of what is written, a little after every change, and listening on demand."""

import time
from concurrent.futures import Future, ThreadPoolExecutor

from msgspec.structs import replace
from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from ...core.checks.listening import heard_facts, unheard
from ...core.checks.soundcheck import Result, mended, soundcheck
from ...core.findings import Finding
from ...core.knowledge.evidence import Facts
from ...core.timing.paths import Situation
from ...engine.step.live import muted_now
from ...ports.devices.computer import computer_facts
from ...words.soundcheck import mend_text, what_text
from ...words.translation import _
from ..engine.live_engine import LiveEngine
from ..session.session import Session

AFTER_CHANGE_MS = 120
WINDOW_S = 3.0
LISTEN_S = 12.0


class SoundcheckRun(QObject):
    """`results` are those of all checks; `listening` while it listens, `share` how far it is."""

    changed = pyqtSignal()

    def __init__(self, session: Session, running: LiveEngine):
        super().__init__()
        self.session, self.running = session, running
        self.results: list[Result] = []
        self.listening = False
        self.share = 0.0
        self._from = self._next = 0.0
        self._pool = ThreadPoolExecutor(1)
        self._answer: Future[Facts] | None = None
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.setInterval(AFTER_CHANGE_MS)
        self._timer.timeout.connect(self.renew)
        session.changed.connect(self._later)
        session.replaced.connect(self.cancel)

    def _later(self) -> None:
        if not self._timer.isActive():
            self._timer.start()

    def renew(self) -> None:
        """Check again now."""
        known = self.session.situation
        muted = tuple(sorted(muted_now(known.setup, self.session.live)))
        facts = replace(computer_facts(known.facts), muted=muted)
        results = soundcheck(Situation(known.setup, known.knowledge, facts))
        if results != self.results:
            self.results = results
            self.changed.emit()

    @property
    def good(self) -> int:
        return sum(r.good for r in self.results)

    @property
    def findings(self) -> list[Finding]:
        return [f for r in self.results for f in r.findings]

    # Listening

    def listen(self) -> None:
        """For a while, to everything that comes in and goes out; say so first where nothing runs."""
        if self.listening:
            return
        if self.running.why_silent:
            self.session.noticed.emit(
                _("{why_silent} Then play and sing: the soundcheck listens.").format(
                    why_silent=self.running.why_silent
                ),
                "silent",
            )
            return
        self.session.see(unheard(self.session.facts))
        if self.running.link is not None:
            self.running.link.sum_peaks()  # what was before says nothing
        self.listening, self.share = True, 0.0
        self._from = time.monotonic()
        self._next = self._from + WINDOW_S
        self.changed.emit()

    def cancel(self) -> None:
        if self.listening:
            self.listening = False
            self.changed.emit()

    def tick(self) -> None:
        """Once a frame."""
        if not self.listening:
            return
        link = self.running.link
        if link is None or self.running.state != "running":
            self.cancel()
            return
        now = time.monotonic()
        self.share = min(1.0, (now - self._from) / LISTEN_S)
        if self._answer is None and now >= self._next:
            self._next = now + WINDOW_S
            parts, _listeners = link.recent(WINDOW_S)
            setup, facts = self.session.setup, self.session.facts
            if len(setup.parts) == parts.shape[0]:
                self._answer = self._pool.submit(heard_facts, facts, setup, parts, link.sum_peaks())
        elif self._answer is not None and self._answer.done():
            heard = self._answer.result()
            self._answer = None
            self.session.see(
                replace(self.session.facts, heard=heard.heard, sums_db=heard.sums_db, listened_s=heard.listened_s)
            )
            if now - self._from >= LISTEN_S:
                self.listening = False
                self.renew()
        self.changed.emit()

    # Mending

    def mend(self, f: Finding) -> str:
        """Do the one action, where it is an edit; else the action of the window that leads to it."""
        known = self.session.situation
        after = mended(known, f)
        if after is None:
            by_hand = {"muted": "unmute", "not_measured": "measure", "stale": "measure", "unconfirmed": "confirm"}
            return by_hand.get(f.code, "")
        place = "gather" if not f.listener else "share"
        thing = f"{f.part}/{f.listener}" if place == "share" else f"part/{f.part}" if f.part else f"device/{f.device}"
        self._forget(f)
        label = f"{mend_text(known, f)} ({what_text(known.setup, f).rstrip('.')})"
        self.session.edit(label, after, place, thing)
        return "edit"

    def _forget(self, f: Finding) -> None:
        """What was heard before the mend says nothing of what is heard after it."""
        facts = self.session.facts
        heard = {p: h for p, h in facts.heard.items() if p != f.part or f.listener}
        sums = {x: d for x, d in facts.sums_db.items() if x != f.listener}
        self.session.see(replace(facts, heard=heard, sums_db=sums))
