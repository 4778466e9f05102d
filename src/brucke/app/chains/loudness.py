"""A listener is brought to its target loudness: some seconds are listened to, and the gain that does it is set."""

from PyQt6.QtCore import QObject, pyqtSignal

from ...core.checks.level_advice import CLOSE_LU, TARGET_S
from ...core.document.setup import Listener, Setup
from ...core.edits.chain_edits import bring_to_target, chain_of, gain_slot, owned
from ...engine.processes.child import Child
from ...engine.processes.messages import TargetLoudness
from ...words.shape import loudness_text
from ...words.translation import _
from ..engine.live_engine import LiveEngine
from ..session.session import Session


class TargetFinder(QObject):
    """`listener` is who is listened to, “” while nobody is; `message` what is going on or came of it, about
    `said_of`."""

    changed = pyqtSignal()

    def __init__(self, session: Session, running: LiveEngine):
        super().__init__()
        self.session, self.running = session, running
        self.listener = self.said_of = self.message = ""
        self.tone = "ink"
        self._asked = Setup()
        self._whom: Child | None = None
        session.replaced.connect(self.cancel)

    def begin(self, listener: str) -> None:
        if self.listener:
            return
        self.said_of = listener
        link = self.running.link
        if link is None or self.running.state != "running" or link.loudness is None:
            self._end(self.running.why_silent or _("Loudness is not being measured just now."), "coral")
            return
        owner, setup = f"listener/{listener}", self.session.setup
        self._asked = bring_to_target(setup, listener, 0.0)
        thing = owned(setup, owner)
        assert isinstance(thing, Listener)
        self.listener, self._whom = listener, link.loudness
        chain = chain_of(self._asked, owner)
        link.ask_for_gain(
            TargetLoudness(
                index=self.running.chain_index(owner),
                chain=chain,
                now=thing.chain,
                slot=gain_slot(chain),
                target_lufs=thing.target_lufs,
                seconds=TARGET_S,
            )
        )
        self.message, self.tone = _("Go on playing or singing as it will be, for {s:.0f} s.").format(s=TARGET_S), "ink"
        self.changed.emit()

    def cancel(self) -> None:
        if self.listener:
            self._end(_("Not set: it was stopped."), "ink")

    def _end(self, message: str, tone: str) -> None:
        self.listener, self.message, self.tone = "", message, tone
        self.changed.emit()

    def tick(self) -> None:
        """Once a frame: whether the answer is there."""
        if not self.listener:
            return
        link = self.running.link
        if link is None or self.running.state != "running" or link.loudness is None or not link.loudness.alive:
            self._end(_("Not set: the engine stopped."), "coral")
            return
        if link.loudness is not self._whom:
            self._end(_("Not set: what measures loudness had to be started anew. Try again."), "coral")
            return
        answer = link.gain_answer()
        if answer is not None and answer.index == self.running.chain_index(f"listener/{self.listener}"):
            self._conclude(answer.gain_db, answer.lufs)

    def _conclude(self, gain_db: float, lufs: float | None) -> None:
        setup, owner = self.session.setup, f"listener/{self.listener}"
        if lufs is None:
            self._end(_("Not set: nothing was heard. Play or sing, and try again."), "coral")
            return
        thing = owned(setup, owner)
        prepared = bring_to_target(setup, self.listener, 0.0)
        if chain_of(prepared, owner) != chain_of(self._asked, owner) or not isinstance(thing, Listener):
            self._end(_("Not set: its processors were changed meanwhile. Try again."), "coral")
            return
        now = chain_of(prepared, owner)[gain_slot(chain_of(prepared, owner))]
        after = bring_to_target(setup, self.listener, gain_db - getattr(now, "gain_db", 0.0))
        near = abs(lufs - thing.target_lufs) <= CLOSE_LU
        said = _("{lufs} now: as loud as it is meant to be.")
        far = _("{lufs} now, and no nearer: the limiter holds its peaks. Compress it more, or aim lower.")
        self._end((said if near else far).format(lufs=loudness_text(lufs)), "water" if near else "amber")
        self.session.edit(_("{name} to its target loudness").format(name=thing.name), after, "shape", f"{owner}/0")
        self.running.measure_loudness_anew()
