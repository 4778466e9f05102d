"""What the deck says: how each place stands, which act is due, and what runs."""

import time

from ...app.engine.live_engine import LiveEngine
from ...app.measuring.soundcheck import SoundcheckRun
from ...app.recording.just_happened import JustHappened
from ...app.recording.take_recorder import TakeRecorder
from ...app.session.session import Session
from ...words import timing
from ...words.detail import choose, in_numbers
from ...words.review import needs_you
from ...words.soundcheck import count_text
from ...words.timing import clock_text
from ...words.translation import _
from .deck import Deck, DeckFacts
from .place_stack import PlaceStack

HEARD, SILENCE = _("They hear you"), _("They hear silence")
STATES = {
    "stopped": _("Stopped"),
    "starting": _("Starting, a few seconds"),
    "running": _("Sounding"),
    "restarting": _("Engine restarting…"),
}
HEARD_DROPOUTS = 3
RECORDING = {
    "starting": _("recording begins"), "recording": "recording {time}", "waiting": _("recording waits for the engine"),
    "behind": _("recording, held in memory"),
    "lost": _("not recording"), "sealing": "collecting", "idle": _("not recording"), "done": _("not recording"),
}  # fmt: skip


class DeckState:
    """`heard_music` is whether the first act was done; `air_from` when the transmission began."""

    def __init__(
        self,
        deck: Deck,
        places: PlaceStack,
        session: Session,
        running: LiveEngine,
        checking: SoundcheckRun,
        taking: TakeRecorder,
        just_happened: JustHappened,
    ):
        self.deck, self.places, self.session, self.running = deck, places, session, running
        self.checking, self.taking, self.just_happened = checking, taking, just_happened
        self.heard_music = False
        self.air_from = 0.0
        session.replaced.connect(self._begin_anew)

    def _begin_anew(self) -> None:
        self.heard_music = False

    def refresh(self) -> None:
        bad = [t for t in self.session.timing.listeners if timing.needs_you(t.verdict)]
        for id in self.deck.spans:
            self.say_place(id)
        self._show_acts(not bad)
        self.show_facts()

    def say_place(self, id: str) -> None:
        if id in self.deck.spans and id in self.places.made:
            self.deck.spans[id].say(*self.places[id].status())

    def _show_acts(self, in_step: bool) -> None:
        measured = self.session.measured
        self.heard_music = self.heard_music or self.running.playing
        take = self.taking.take
        # Proved is what was recorded with the delays that are in force now.
        proved = take is not None and bool(take.proof) and take.setup.routes == self.session.setup.routes
        proved = proved and not any(needs_you(v) for v in self.taking.verdicts.values())
        done = (self.heard_music, measured, measured and in_step and proved)
        # Nothing is due where nothing is there yet: the first page leads on.
        due = next((i for i, d in enumerate(done) if not d), -1) if self.session.setup.parts else -1
        for i, act in enumerate(self.deck.acts):
            act.say(done[i], i == due)

    def _state_text(self) -> str:
        """What runs, on air or not, and recording only while files grow: three facts beside each other."""
        running, taking = self.running, self.taking
        live = self.session.live
        air = live.on_air and running.state == "running"
        said = [(SILENCE if live.silent else HEARD) if air else STATES[running.state]]
        if taking.state == "recording":
            said.append(RECORDING[taking.recording.state].format(time=clock_text(taking.seconds_recorded)))
        if self.just_happened.state == "remembers":
            said.append(_("the last minutes remembered"))
        if running.simulated and running.state != "stopped":
            said.append("simulated")
        return ", ".join(said)

    def _live_text(self) -> str:
        """Open while nothing sounds, as after a crash: nobody hears you, and they will again as soon as it does."""
        live = self.session.live
        if not live.on_air:
            return _("Let them hear")
        if self.running.state != "running":
            return _("They will hear you")
        since = int(time.monotonic() - self.air_from)
        return f"{SILENCE if live.silent else HEARD} {since // 60}:{since % 60:02d}"

    def _check_text(self) -> str:
        """What has to be mended first; the rest is told where the button leads."""
        results = self.checking.results
        mend = sum(r.state == "mend" for r in results)
        return _("{mend} to mend").format(mend=mend) if mend else count_text(results)

    def show_facts(self) -> None:
        setup, running = self.session.setup, self.running
        recent = running.recent_dropouts()
        load, tone = "", "mute"
        if running.state == "running" and running.link is not None and not in_numbers():
            # Fewer are hardly ever noticed.
            times = _("broke up often") if recent > 9 else _("broke up a few times")
            load = _("The sound {times} in the last minute").format(times=times) if recent >= HEARD_DROPOUTS else ""
            tone = "amber"
        elif running.state == "running" and running.link is not None:
            said = (
                _("{counted} in the last minute").format(counted=timing.counted(recent, "dropout"))
                if recent
                else _("no dropouts")
            )
            load = f"{said}  ·  load {running.link.load:.0%}".replace("%", " %")
            tone = "amber" if recent else "mute"
        if self.taking.state == "recording" and self.taking.recording.state == "lost":
            load, tone = _("Nothing is being written"), "coral"
        got = _(" (this computer: {cycle})").format(cycle=running.cycle) if running.cycle else ""
        counted = running.link is not None and in_numbers()
        self.deck.setToolTip(
            _("{counted} since the start").format(counted=timing.counted(running.dropouts, "dropout"))
            if counted
            else ""
        )
        clock = f"{setup.rate_hz / 1000:g} kHz, {setup.block_frames} frames{got}"
        self.deck.show_facts(
            DeckFacts(
                setup.name, self._state_text(), choose("", clock), load, tone,
                running.link is not None, self._live_text(),
                self._check_text(), bool(setup.parts or setup.listeners),
            )
        )  # fmt: skip
