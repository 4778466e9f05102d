"""The headphone check: a soft tone on the left, one on the right, each until it is answered where it was heard."""

import time

import numpy as np
import numpy.typing as npt
from PyQt6.QtCore import QObject, pyqtSignal

from ...core.document.setup import Listener
from ...core.knowledge.headphones import ANSWERS, Answer, Fault, faults
from ...core.knowledge.quantities import ROUND_TRIP
from ...words.translation import _
from ..engine.live_engine import LiveEngine
from ..session.session import Session
from ..sound_server.desktop import Desktop

LEVEL_DB, SOFTER_DB, HZ, TONE_S, FADE_S, AGAIN_S = -30.0, 12.0, 440.0, 0.8, 0.05, 1.6
GIVE_UP_S = 60.0
SIDES: tuple[Answer, ...] = ("left", "right")


def soft_tone(rate_hz: int, side: int, level_db: float) -> npt.NDArray[np.float32]:
    """[2, frames]: on one side, faded in and out."""
    frames, fade = round(TONE_S * rate_hz), round(FADE_S * rate_hz)
    window = np.clip(np.minimum(np.arange(frames), frames - 1 - np.arange(frames)) / fade, 0, 1)
    made = np.zeros((2, frames), np.float32)
    tone = 10 ** (level_db / 20) * np.sin(2 * np.pi * HZ * np.arange(frames) / rate_hz)
    made[side] = tone * np.sin(np.pi / 2 * window) ** 2
    return made


class HeadphoneCheck(QObject):
    """`asks` is the side whose tone sounds, “” while none does; `found` what came out, None before; `heard` whether the
    headphones that are chosen now were heard as they should be."""

    changed = pyqtSignal()

    def __init__(self, session: Session, running: LiveEngine, desktop: Desktop):
        super().__init__()
        self.session, self.running, self.desktop = session, running, desktop
        self.asks = ""
        self.found: tuple[Fault, ...] | None = None
        self._answers: list[Answer] = []
        self._loud = self._waits = False
        self._began = self._played = 0.0
        self._device = ""
        session.replaced.connect(self._forget)

    @property
    def monitor(self) -> tuple[int, Listener] | None:
        """The first, and its place."""
        return next(((i, x) for i, x in enumerate(self.session.setup.listeners) if x.kind == "monitor"), None)

    @property
    def heard(self) -> bool:
        return self.found is not None and not {*self.found} - {"wireless", "late"} and self._device == self._card()

    def _card(self) -> str:
        """What the headphones are now: other ones want another check."""
        at = self.monitor
        if at is None:
            return ""
        device = self.session.setup.device(at[1].device)
        return f"{device.id} {device.card} {self.desktop.end_names.get(device.id, ('', ''))[1]}"

    def begin(self) -> bool:
        """Whether it sounds; said where it cannot."""
        session = self.session
        if self.monitor is None:
            session.noticed.emit(
                _("There are no headphones in this setup: add a listener of your own in Share."), "amber"
            )
        elif session.live.on_air:
            session.noticed.emit(_("They hear you: no tone is played."), "heard")
        elif self.running.state in ("stopped", "starting"):
            self._waits = True  # nobody has to start first
            if self.running.state == "stopped":
                self.running.start()
            session.noticed.emit(_("Starting. The tone comes as soon as it sounds, in a few seconds."), "mute")
        elif self.running.why_silent:
            session.noticed.emit(self.running.why_silent, "silent")
        else:
            self._answers, self._loud, self.found = [], False, None
            self._device, self._began = self._card(), time.monotonic()
            self._ask("left")
            return True
        return False

    def answer(self, what: str) -> None:
        """Where the tone was heard, or “loud”: then it comes once more, softer."""
        if not self.asks:
            return
        if what == "loud":
            self._loud = True
            self._ask(self.asks)
        elif what in ANSWERS:
            self._answers.append(what)
            if len(self._answers) < len(SIDES):
                self._ask(SIDES[len(self._answers)])
            else:
                self._judge()

    def cancel(self) -> bool:
        """Whether it was on."""
        was = bool(self.asks) or self._waits
        self._waits = False
        if was:
            self._quiet()
        return was

    def tick(self) -> None:
        """The tone again and again until it is answered."""
        if self._waits and self.running.state == "running":
            self._waits = False
            self.begin()
        if not self.asks:
            return
        now = time.monotonic()
        if self.running.state != "running" or self.session.live.on_air or now - self._began > GIVE_UP_S:
            self._quiet()
        elif now - self._played > AGAIN_S:
            self._play()

    def _ask(self, side: str) -> None:
        self.asks = side
        self._play()
        self.changed.emit()

    def _play(self) -> None:
        self._played = time.monotonic()
        at, link = self.monitor, self.running.link
        if at is None or link is None:
            self._quiet()
            return
        level = LEVEL_DB - (SOFTER_DB if self._loud else 0.0)
        link.listen_back(at[0], soft_tone(self.session.setup.rate_hz, SIDES.index(self.asks), level))

    def _judge(self) -> None:
        left, right = self._answers
        self.found = faults(left, right, self._loud, self.wireless, self.way_s)
        self._quiet()

    def _quiet(self) -> None:
        self.asks = ""
        if self.running.link is not None:
            self.running.link.stop_listening_back()
        self.changed.emit()

    def _forget(self) -> None:
        self.asks, self.found = "", None
        self.changed.emit()

    # What is known of the way there

    @property
    def wireless(self) -> bool:
        at = self.monitor
        if at is None:
            return False
        device = self.session.setup.device(at[1].device)
        return device.wireless or self.desktop.end_names.get(device.id, ("", ""))[1].startswith("bluez_")

    @property
    def way_s(self) -> float | None:
        """Half of what was measured there and back, else what it says of itself; None where neither is known."""
        at = self.monitor
        if at is None:
            return None
        setup = self.session.setup
        m = self.session.knowledge.counting(ROUND_TRIP, setup, at[1].device)
        if m is not None:
            return m.value_s / 2
        return self.session.facts.reported_s.get(f"{at[1].device}:out")
