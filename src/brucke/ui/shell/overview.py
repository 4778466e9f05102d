"""What the deck says: how each place stands, which act is due, and what runs."""

import time

from ...core.knowledge.evidence import device_fingerprint, round_trip_key
from ...core.knowledge.learned import measuring_pair
from ...desk.running import Running
from ...desk.session import Session
from ...desk.soundcheck import Checking
from ...desk.take import Taking, minutes_text
from ...words import timing
from ...words.review import needs_you, take_text
from ...words.soundcheck import count_text
from .deck import Deck, DeckFacts

PLACES = [
    ("gather", "Gather"), ("share", "Share"), ("shape", "Shape"), ("align", "Align"), ("review", "Review"),
]  # fmt: skip
# What Share can show and mend in its own cells.
SHARE_CODES = (
    "loop", "doubled", "own_return", "hears_nothing", "player_missing", "second_track", "sum_clips", "faint",
    "lead_not_heard", "does_not_hear_itself",
)  # fmt: skip
STATES = {"stopped": "Stopped", "starting": "Starting…", "running": "Rehearsing", "restarting": "Engine restarting…"}
RECORDING = {
    "starting": "recording begins", "recording": "recording {time}", "waiting": "recording waits for the engine",
    "lost": "not recording", "sealing": "collecting", "idle": "not recording", "done": "not recording",
}  # fmt: skip
TAKING = {"recording": "recording", "finishing": "collecting", "proving": "measuring"}


def _many(count: int, word: str) -> str:
    return f"{count} {word}{'s' * (count != 1)}"


class Overview:
    """`heard_music` is whether the first act was done; `air_from` when the transmission began."""

    def __init__(self, deck: Deck, session: Session, running: Running, checking: Checking, taking: Taking):
        self.deck, self.session, self.running = deck, session, running
        self.checking, self.taking = checking, taking
        self.heard_music = False
        self.air_from = 0.0
        session.replaced.connect(self._begin_anew)

    def _begin_anew(self) -> None:
        self.heard_music = False

    def refresh(self, aligning: str) -> None:
        """`aligning` is the listener that Align shows: its fault is named first."""
        bad = [t for t in self.session.timing.listeners if timing.needs_you(t.verdict)]
        self._show_gather()
        self._show_share()
        self._show_shape()
        self._show_align(aligning)
        self._show_review()
        self._show_acts(not bad)
        self.show_facts()

    def _show_gather(self) -> None:
        parts, gone = len(self.session.setup.parts), len(self.session.facts.missing)
        span = self.deck.spans["gather"]
        span.say(f"{gone} not there" if gone else _many(parts, "part"), "coral" if gone else "mute")

    def _show_share(self) -> None:
        routes = sum(r.on for r in self.session.setup.routes)
        wrong = sum(f.code in SHARE_CODES for f in self.checking.findings)
        span = self.deck.spans["share"]
        span.say(f"{wrong} to mend" if wrong else _many(routes, "route"), "coral" if wrong else "mute")

    def _show_shape(self) -> None:
        shaped = [p.name for p in self.session.setup.parts if any(c.on for c in p.chain)]
        text = ", ".join(n.lower() for n in shaped) if len(shaped) < 3 else _many(len(shaped), "part")
        self.deck.spans["shape"].say(text or "as it comes in", "mute")

    def _show_align(self, aligning: str) -> None:
        session, span = self.session, self.deck.spans["align"]
        bad = [t for t in session.timing.listeners if timing.needs_you(t.verdict)]
        if not session.timing.listeners:
            span.say("nobody listens", "mute")
        elif bad:
            shown = next((t for t in bad if t.listener == aligning), bad[0])
            span.say(timing.verdict_text(session.setup, shown.verdict), "coral")
        else:
            span.say(timing.together_text(session.setup, session.timing), "water")

    def _show_review(self) -> None:
        count, state = len(self.taking.takes), TAKING.get(self.taking.state)
        verdicts = self.taking.verdicts
        wrong = next((v for v in verdicts.values() if needs_you(v)), None)
        if not state and self.taking.take is not None and self.taking.take.proof and wrong is not None:
            self.deck.spans["review"].say(take_text(self.taking.take.setup, wrong), "coral")
            return
        self.deck.spans["review"].say(state or (_many(count, "take") if count else "no take yet"), "mute")

    def _show_acts(self, in_step: bool) -> None:
        pair = measuring_pair(self.session.setup)
        measured = False
        if pair is not None:
            print_ = device_fingerprint(self.session.setup, pair[0])
            measured = self.session.knowledge.good(round_trip_key(pair[0]), print_) is not None
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
            said.append(RECORDING[taking.recording.state].format(time=minutes_text(taking.seconds_recorded)))
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
            said = f"{_many(recent, 'dropout')} in the last minute" if recent else "no dropouts"
            load = f"load {running.link.load:.0%}".replace("%", " %") + f"  ·  {said}"
            tone = "amber" if recent else "mute"
        if self.taking.state == "recording" and self.taking.recording.state == "lost":
            load, tone = "Nothing is being written", "coral"
        since = int(time.monotonic() - self.air_from)
        self.deck.setToolTip(f"{_many(running.dropouts, 'dropout')} since the start" if running.link else "")
        self.deck.show_facts(
            DeckFacts(
                setup.name, self._state_text(), f"{setup.rate_hz / 1000:g} kHz, {setup.block_frames} frames", load, tone,
                running.link is not None, f"{since // 60}:{since % 60:02d}" if air else "",
                self._check_text(), bool(setup.parts or setup.listeners),
            )
        )  # fmt: skip
