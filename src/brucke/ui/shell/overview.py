"""What the deck says: how each place stands, which act is due, and what runs."""

import time
from collections.abc import Mapping

from ...core.knowledge.quantities import ROUND_TRIP
from ...desk.running import LiveEngine
from ...desk.session import Session
from ...desk.soundcheck import SoundcheckRun
from ...desk.take import TakeRecorder
from ...words import timing
from ...words.review import needs_you
from ...words.soundcheck import count_text
from ...words.timing import clock_text
from ..kit.place import Place
from .deck import Deck, DeckFacts

STATES = {"stopped": "Stopped", "starting": "Starting…", "running": "Rehearsing", "restarting": "Engine restarting…"}
RECORDING = {
    "starting": "recording begins", "recording": "recording {time}", "waiting": "recording waits for the engine",
    "lost": "not recording", "sealing": "collecting", "idle": "not recording", "done": "not recording",
}  # fmt: skip


class Overview:
    """`heard_music` is whether the first act was done; `air_from` when the transmission began."""

    def __init__(
        self,
        deck: Deck,
        places: Mapping[str, Place],
        session: Session,
        running: LiveEngine,
        checking: SoundcheckRun,
        taking: TakeRecorder,
    ):
        self.deck, self.places, self.session, self.running = deck, places, session, running
        self.checking, self.taking = checking, taking
        self.heard_music = False
        self.air_from = 0.0
        session.replaced.connect(self._begin_anew)

    def _begin_anew(self) -> None:
        self.heard_music = False

    def refresh(self) -> None:
        bad = [t for t in self.session.timing.listeners if timing.needs_you(t.verdict)]
        for id, span in self.deck.spans.items():
            span.say(*self.places[id].status())
        self._show_acts(not bad)
        self.show_facts()

    def _show_acts(self, in_step: bool) -> None:
        setup = self.session.setup
        counting = [self.session.knowledge.counting(ROUND_TRIP, setup, *w.ids) for w in ROUND_TRIP.ways(setup)]
        measured = bool(counting) and None not in counting
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
        air = self.session.live.on_air and running.state == "running"
        said = ["On air" if air else STATES[running.state]]
        if taking.state == "recording":
            said.append(RECORDING[taking.recording.state].format(time=clock_text(taking.seconds_recorded)))
        if running.simulated and running.state != "stopped":
            said.append("simulated")
        return ", ".join(said)

    def _check_text(self) -> str:
        """What has to be mended first; the rest is told where the button leads."""
        results = self.checking.results
        mend = sum(r.state == "mend" for r in results)
        return f"{mend} to mend" if mend else count_text(results)

    def show_facts(self) -> None:
        setup, running = self.session.setup, self.running
        air = self.session.live.on_air
        recent = running.recent_dropouts()
        load, tone = "", "mute"
        if running.state == "running" and running.link is not None:
            said = f"{timing.counted(recent, 'dropout')} in the last minute" if recent else "no dropouts"
            load = f"load {running.link.load:.0%}".replace("%", " %") + f"  ·  {said}"
            tone = "amber" if recent else "mute"
        if self.taking.state == "recording" and self.taking.recording.state == "lost":
            load, tone = "Nothing is being written", "coral"
        got = f" (this computer: {running.cycle})" if running.cycle else ""
        since = int(time.monotonic() - self.air_from)
        self.deck.setToolTip(f"{timing.counted(running.dropouts, 'dropout')} since the start" if running.link else "")
        self.deck.show_facts(
            DeckFacts(
                setup.name, self._state_text(), f"{setup.rate_hz / 1000:g} kHz, {setup.block_frames} frames{got}", load, tone,
                running.link is not None, f"{since // 60}:{since % 60:02d}" if air else "",
                self._check_text(), bool(setup.parts or setup.listeners),
            )
        )  # fmt: skip
