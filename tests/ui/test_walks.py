"""Walks through states at random: on every page the same answer to “who hears me, who hears the song?”, and it is what
a recorder at every microphone hears. The block path is the real one, run in this process; what the desktop tells is
told by hand.

`BRUCKE_WALKS=2000` walks farther.
"""

import os
import re

import numpy as np
import pytest
from msgspec.structs import replace

from brucke.app.sound_server.microphone_consumers import MicrophoneConsumer
from brucke.core.document.setup import Device, Listener, Moment, MomentRoute, Part, Route, Setup
from brucke.core.routing.captures import capture_channels
from brucke.core.routing.rows import rows_of
from brucke.engine.step.live import Live, open_doors, with_door
from brucke.engine.step.output_gate import Doors
from brucke.engine.step.plan import compile_plan, compile_plans, shape_of
from brucke.engine.step.runner import Runner
from brucke.engine.step.safety import Safety, safety_of
from brucke.ports.devices.server.names import SERVER, taking
from brucke.ui.shell.tray_model import Now, entries, state_of
from brucke.words.open_closed import goodbye_text

from ..desktop_server import RATE

WALKS, STEPS = int(os.environ.get("BRUCKE_WALKS", "60")), 6
N = 128
SETTLES = 30  # blocks until every fade and delay is through
HZ = {"song": 1125.0, "voice": 2250.0, "cello": 3375.0, "friend": 4500.0}  # whole periods in eight blocks


def a_setup() -> Setup:
    devices = (
        Device(id="table", name="Table", kind="interface", buffer_frames=N, sets_clock=True, card=SERVER),
        Device(id="player", name="Player", kind="program", card=taking("Player")),
        Device(id="call", name="Call", kind="call", card=SERVER),
        Device(id="show", name="Show", kind="stream", card=SERVER),
        Device(id="tape", name="Tape", kind="recorder"),
    )
    parts = (
        Part(id="song", name="Song", kind="lead", source="program", device="player", channels=(0,)),
        Part(id="voice", name="Voice", kind="follower", source="microphone", device="table", channels=(0,), follows=
        "song", hears_at="phones"),
        Part(id="cello", name="Cello", kind="follower", source="instrument", device="table", channels=(1,), follows=
        "song", hears_at="phones"),
        Part(id="friend", name="Friend", kind="far_end", source="far_end", device="call", channels=(0,), returns_from=
        "call"),
    )  # fmt: skip
    listeners = (
        Listener(id="phones", name="Phones", kind="monitor", device="table"),
        Listener(id="call", name="Call", kind="call", device="call"),
        Listener(id="show", name="Show", kind="stream", device="show"),
        Listener(id="tape", name="Tape", kind="recorder", device="tape"),
    )
    off = {("friend", "call"), ("cello", "call")}
    routes = tuple(
        Route(part=p.id, listener=x.id, gain_db=-6.0, on=(p.id, x.id) not in off) for p in parts for x in listeners
    )
    talk = Moment(id="talk", name="Talk", routes=tuple(MomentRoute(part="song", listener=x, mute=True) for x in (
        "call", "show")))  # fmt: skip
    return Setup(name="Walk", devices=devices, parts=parts, listeners=listeners, routes=routes, moments=(Moment(id=
        "sing", name="Sing"), talk))  # fmt: skip


class Recorders:
    """The block path with a recorder at every listener."""

    def __init__(self, setup: Setup):
        self.setup, self.rows = setup, rows_of(setup, roomy=True)
        shape = shape_of(setup, self.rows)
        self.safety = Safety.of(shape)
        self.plan = compile_plan(setup, Live(), self.rows)
        self.runner = Runner(shape, self.plan, safety=self.safety)
        self.runner.begin_with(compile_plans(setup, Live(), self.rows))
        self.doors = Doors(shape, self.plan, self.safety.opened)
        self.order = self.rows.order(setup)
        captured = dict(zip(capture_channels(setup), self.order.captures, strict=True))
        self.rows_in = [captured[p.device, p.channels[0]] for p in setup.parts]
        self.at = 0

    def heard(self, live: Live, quiet: set[str]) -> dict[str, set[str]]:
        """By listener the parts that are in its sound; `quiet` ones give nothing."""
        self.safety.write(safety_of(self.setup, live, self.rows))
        self._play(SETTLES, quiet)
        sound = self._play(8, quiet)
        t = np.arange(sound.shape[2]) / RATE
        found = {}
        for i, x in enumerate(self.setup.listeners):
            mine = sound[self.order.listeners[i], 0]
            tones = {p: abs(np.mean(mine * np.exp(-2j * np.pi * hz * t))) for p, hz in HZ.items()}
            found[x.id] = {p for p, level in tones.items() if level > 1e-4}
            assert bool(found[x.id]) == bool(np.any(mine)), "what holds none of them is zero to the bit"
        return found

    def _play(self, blocks: int, quiet: set[str]):
        heard = []
        for _ in range(blocks):
            t = (self.at + np.arange(N)) / RATE
            ins = np.zeros((self.runner.shape.captures, N), np.float32)
            for i, part in enumerate(self.setup.parts):
                if part.id not in quiet:
                    ins[self.rows_in[i]] = 0.3 * np.sin(2 * np.pi * HZ[part.id] * t)
            heard.append(self.doors.let_out(self.runner.step(ins), self.plan, self.safety.opened).copy())
            self.at += N
        return np.concatenate(heard, axis=2)


@pytest.fixture
def walked(window):
    """A window that believes it runs; what the desktop tells is set by hand."""
    w = window
    w.session.replace(a_setup())
    w.clock.tick.disconnect()
    w.running.state = "running"
    w.desktop.state = "up"
    w.go_to("gather")
    yield w
    w.running.state = "stopped"
    w.session.replace(Setup())


def step(w, rng) -> str:
    """One thing that happens: hands, programs, ends."""
    session, live = w.session, w.session.live
    what = rng.choice(
        ["door", "silent", "mute", "moment", "chooses", "quiet", "bare", "ends", "record", "stop", "hands"]
    )
    facts = session.facts
    match what:
        case "door":
            x = rng.choice(["call", "show"])
            session.set_live(with_door(session.setup, live, x, x not in open_doors(session.setup, live)))
        case "silent":
            session.set_live(replace(live, silent=not live.silent))
        case "mute":
            session.set_live(replace(live, muted=live.muted ^ {rng.choice(["song", "voice", "cello"])}))
        case "moment":
            session.set_live(replace(live, moment=rng.choice(["sing", "talk"])))
        case "chooses":
            x, some = rng.choice(["call", "show"]), rng.choice(["nobody", "waits", "takes"])
            ear = () if some == "nobody" else (MicrophoneConsumer(f"{x} program", some == "takes"),)
            w.desktop.microphones.of = {**w.desktop.consumers, x: ear}
        case "quiet":
            session.see(replace(facts, quiet=() if facts.quiet else ("song",)))
        case "bare":
            session.see(replace(facts, bare=() if facts.bare else (("Other caller", "Table"),)))
        case "ends":
            gone = {} if facts.ends_gone else {"table": ("", "Table phones")}
            session.see(replace(facts, ends_gone=gone))
        case "record":
            w.taking.recording.state = "idle" if w.taking.recording.state == "recording" else "recording"
        case "stop":
            w.running.state = "stopped" if w.running.state == "running" else "running"
        case "hands":
            w.do(str(rng.choice(["silence", "on_air", "undo"])))
    for changed in (w.desktop.changed, w.running.changed, w.taking.changed):  # as whoever tells of it does
        changed.emit()
    return str(what)


def pages(w, truth, where) -> None:
    """What Gather says of a call and a stream, on both of its pages of this computer."""
    session, gather = w.session, w.gather
    gather.show_page("here")
    for x in ("call", "show"):
        row = gather.here.listens.rows[x]
        assert (row.state.text() == "they hear you") == (x in truth), (where, row.state.text())
        assert row.more.text().startswith("it hears ") == (x in truth), (where, row.more.text())
        if x in truth:
            assert {p.lower() for p in row.more.text().removeprefix("it hears ").split(", ")} == truth[x], where
        if x not in open_doors(session.setup, session.live):
            assert row.state.text() == "they do not", where
    gather.show_page("ends")
    said = gather.ends.theirs.accessibleName()
    assert ("they hear it now" in said) == ("call" in truth), (where, said)


def said_to_hear(text: str) -> dict[str, set[str]]:
    """By listener, the parts of a sentence like “Call and Tape hear song; Show hears voice, song”."""
    found = {}
    for clause in text.split("; "):
        said = re.match(r"(.+?) hears? (?!nothing|.* itself, past)(.+)", clause)
        if said and not re.search("nobody|not|may", said[1]):
            for name in re.split(" and |, ", said[1]):
                found[name] = set(said[2].split(", "))
    return found


def test_every_page_answers_alike_and_as_a_recorder_at_every_microphone_hears(walked):
    w, recorders = walked, Recorders(a_setup())
    session = w.session
    rng = np.random.default_rng(17)
    names = {x.id: x.name for x in session.setup.listeners}
    seen = set()
    for walk in range(WALKS):
        session.set_live(Live(moment="sing", on_air=bool(walk % 2)))
        session.see(replace(session.facts, quiet=(), bare=(), ends_gone={}))
        w.running.state, w.taking.recording.state = "running", "idle"
        w.desktop.microphones.of = {
            x: (MicrophoneConsumer(f"{x} program", True),) if walk % 3 else () for x in ("call", "show")
        }
        way = []
        for _ in range(STEPS):
            way.append(step(w, rng))
            live, facts, runs = session.live, session.facts, w.running.state == "running"
            sounds = recorders.heard(live, set(facts.quiet))
            # Whoever takes sound from a microphone hears what is in it; a recorder while it records.
            takes = {x for x, those in w.desktop.consumers.items() if any(e.flows for e in those)}
            takes |= {"tape"} if w.taking.recording.state == "recording" else set()
            truth = {x: sounds[x] for x in takes if runs and sounds[x]}
            where = (walk, way, truth)
            assert {x: set(parts) for x, parts in w.audience.heard()} == truth, where
            text = w.audience.hears_text()
            assert said_to_hear(text) == {names[x]: parts for x, parts in truth.items()}, (where, text)
            assert w.strip.hears.text() == text, where
            pages(w, truth, where)
            now = Now(session.setup, live, session.timing, runs, text)
            assert entries(now)[0].text.rstrip("…").lower() in text.lower(), where
            others = {x for x in truth if x != "tape"}
            if others:
                assert state_of(now) == "open", where
            if not open_doors(session.setup, live):
                assert not others, "a closed door is zero to the bit"
                assert state_of(now) != "open", where
            bye = goodbye_text(session.setup, w.audience.still_hears())
            assert ("Nobody hears you." in bye) == (not truth and not facts.bare), (where, bye)
            w.checking.renew()
            found = {f.code for f in w.checking.findings}
            assert ("heard_past_us" in found) == bool(facts.bare), where
            assert ("plays_nothing" in found) == bool(facts.quiet), where
            assert ("end_out_gone" in found) == bool(facts.ends_gone), where
            shown = w.deck.facts.state
            assert ("They hear you" in shown) == (live.on_air and runs and not live.silent), (where, shown)
            seen |= {(x, p) for x, parts in truth.items() for p in parts}
    assert len(seen) >= 9, "walks that come nowhere tell nothing"
