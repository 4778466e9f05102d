"""Random acts against a model of hands alone, with the real desk and the real engine in one process: whoever is closed,
silenced or muted gets zeros to the bit, and what the screen says is what is heard.

BRUCKE_SEQUENCES says how many, BRUCKE_FROM the first; ten thousand take about an hour.
"""

import os
import time
from types import SimpleNamespace

import numpy as np
import pytest
from msgspec.structs import replace
from PyQt6.QtCore import QCoreApplication

from brucke.app.control import live_acts
from brucke.app.control.live_acts import HELD_S, LiveActs
from brucke.app.engine import live_engine, live_updates
from brucke.app.engine.live_engine import LiveEngine
from brucke.app.measuring.round_trip import Measurer
from brucke.app.presence.running_order import RunningOrder
from brucke.app.session.session import Session
from brucke.core.control.bindings import AT_ONCE, Binding
from brucke.core.control.osc_message import osc_act
from brucke.core.control.pressed_controls import PressedControls
from brucke.core.document.setup import Device, Listener, Moment, MomentRoute, Part, Route, Setup
from brucke.core.edits import listener_edits, moment_edits, order_edits, part_edits, route_edits
from brucke.core.edits.block_edits import set_block
from brucke.core.routing.person import own_microphone
from brucke.engine.processes import host as host_module
from brucke.engine.processes.channel import Channel
from brucke.engine.processes.child import Child
from brucke.engine.processes.host import Host
from brucke.engine.processes.link import EngineLink
from brucke.engine.processes.region import PORT_BLOCKS, Head
from brucke.engine.step.live import doors, has_door, muted_now, open_now, with_door
from brucke.ports.devices.opening import Wirings
from brucke.ports.devices.server.names import SERVER
from brucke.rehearse import equipment

FEET = tuple(
    Binding(control=f"controller 1 {64 + i}", act=a)
    for i, a in enumerate(("mute_me", "silence", "moment_1", "moment_2"))
)
FEET_CLOCK = SimpleNamespace(now=0.0, monotonic=lambda: FEET_CLOCK.now)
SEQUENCES = int(os.environ.get("BRUCKE_SEQUENCES", "60"))
FIRST = int(os.environ.get("BRUCKE_FROM", "0"))
ACTS, SETTLED = 14, 12  # acts of a sequence; blocks until everything that an act began has ended
RATE, N = 48000, 128


class Living:
    """A process that never ends by itself."""

    pid = 0

    def poll(self):
        return None

    def kill(self):
        pass

    def wait(self, _seconds=None):
        return 0


class InOneProcess(EngineLink):
    """The engine's own host beside the desk; nobody stands behind its ports."""

    clock = SimpleNamespace(ns=10**12)

    def _spawn(self, role, module, *arguments, nice=0):
        ours, theirs = Channel.pair()
        end = Channel(theirs)
        child = Child(Living(), ours)
        if role in ("engine", "standby"):
            host = Host(self.region, end, [], Wirings())
            host.port.drive = lambda block: None
            self.hosts = {**getattr(self, "hosts", {}), id(child): (host, [])}
        else:
            self.others = [*getattr(self, "others", []), end]
        return child

    def play(self, blocks, rng):
        host, begun = self.hosts[id(self.engine)]
        if not begun:
            begun.append(host.run())
        region = self.region
        region.set(Head.WORLD_STATE, 1)
        region.set(Head.IN_BLOCKS, 2**40)
        region.sound("in_ring")[:] = rng.uniform(0.1, 0.5, region.sound("in_ring").shape)
        for _ in range(blocks):
            self.clock.ns += round(N / RATE * 1e9)
            host.period()

    @property
    def newest(self):
        at = (self.region.get(Head.OUT_BLOCKS) - 1) % PORT_BLOCKS * self.shape.block
        return self.region.sound("out_ring")[:, :, at : at + self.shape.block]


def setup_of_an_hour() -> Setup:
    devices = (
        Device(id="table", name="Table", kind="interface", buffer_frames=128, sets_clock=True, card=SERVER),
        Device(id="second", name="Second", kind="interface", buffer_frames=256, card="Another card"),
        Device(id="call", name="Call", kind="call", card=SERVER),
        Device(id="stream", name="Stream", kind="stream", card=SERVER),
    )
    sources = {"song": "instrument", "voice": "microphone", "harp": "instrument"}
    parts = tuple(
        Part(id=id, name=id.title(), kind="lead", source=source, device="table", channels=(i,))
        for i, (id, source) in enumerate(sources.items())
    )
    listeners = (
        Listener(id="phones", name="Phones", kind="monitor", device="table", ceiling_db=0.0),
        Listener(id="call", name="Call", kind="call", device="call"),
        Listener(id="stream", name="Stream", kind="stream", device="stream"),
    )
    routes = tuple(Route(part=p.id, listener=x.id, gain_db=-10.0) for p in parts for x in listeners)
    talk = Moment(
        id="talk", name="Talk", crossfade_s=0.05, routes=(MomentRoute(part="song", listener="call", mute=True),),
        policy={"stream": "least_delay"},
    )  # fmt: skip
    return Setup(name="An hour", devices=devices, parts=parts, listeners=listeners, routes=routes, moments=(Moment(id=
        "sing", name="Sing"), talk))  # fmt: skip


class Hour:
    """The desk, and what hands have done, kept apart."""

    def __init__(self, rng, folder):
        self.rng, self.folder = rng, folder
        self.session = Session(equipment)
        self.session.replace(setup_of_an_hour())
        self.running = LiveEngine(self.session)
        self.measuring = Measurer(self.session, self.running)
        self.measuring.count_s = 0.0
        self.on_air, self.kept_shut, self.silent, self.muted = False, set(), False, set()
        self.order = RunningOrder(self.session, self.running)
        self.acts, self.feet = LiveActs(self.session, self.running), PressedControls(FEET)
        self.known, self.now, self.held = set(doors(self.session.setup)), 0.0, (0.0, False)

    @property
    def link(self):
        return self.running.link

    def settle(self):
        QCoreApplication.processEvents()
        until = time.monotonic() + 5
        while self.link is None and time.monotonic() < until:  # started anew by what cannot be followed, off air
            self.running.start()
            self.running.tick()
        self.running.tick()
        self.measuring.tick()
        if self.link is not None:
            self.link.play(SETTLED, self.rng)
        self.running.tick()
        self.measuring.tick()
        now = set(doors(self.session.setup))
        if self.on_air:
            self.kept_shut |= now - self.known  # who comes while others hear is opened by nobody
        self.known = now

    # What hands do

    def act(self):
        acts = (
            self.gain, self.gain, self.delay, self.route, self.part, self.listener, self.too_small, self.block,
            self.undo, self.undo,
            self.redo, self.air, self.air, self.door, self.door, self.silence, self.mute, self.mute, self.moment,
            self.measure, self.kill,
            self.save, self.device, self.line, self.line, self.lines, self.foot, self.foot, self.osc, self.hear_as,
        )  # fmt: skip
        acts[self.rng.integers(len(acts))]()

    def edit(self, after):
        self.session.edit("something", after, "share")

    def some(self, things):
        return things[self.rng.integers(len(things))].id if things else ""

    def gain(self):
        s = self.session.setup
        if s.routes:
            r = s.routes[self.rng.integers(len(s.routes))]
            self.edit(route_edits.set_gain(s, r.part, r.listener, float(self.rng.uniform(-30, 0))))

    def delay(self):
        s = self.session.setup
        if s.routes:
            r = s.routes[self.rng.integers(len(s.routes))]
            self.edit(route_edits.set_delay(s, r.part, r.listener, float(self.rng.uniform(0, 20))))

    def route(self):
        s = self.session.setup
        part, listener = self.some(s.parts), self.some(s.listeners)
        route = s.route(part, listener)
        self.edit(route_edits.set_on(s, part, listener, not (route is not None and route.on)))

    def part(self):
        s = self.session.setup
        if len(s.parts) > 2 and self.rng.random() < 0.5:
            self.edit(part_edits.remove_part(s, self.some(s.parts)))
        elif len(s.parts) < 6:
            self.edit(part_edits.add_part(s, "instrument", "Guest", "Table"))

    def listener(self):
        s = self.session.setup
        calls = [x for x in s.listeners if x.kind in ("call", "stream")]
        if len(calls) > 1 and self.rng.random() < 0.5:
            self.edit(listener_edits.remove_listener(s, self.some(calls)))
        elif len(s.listeners) < 6:
            after = listener_edits.add_listener(s, "call", "Late call", "Late call")
            device = after.listeners[-1].device
            after = route_edits.change_device(after, device, card=SERVER)
            self.edit(route_edits.set_on(after, after.parts[0].id, after.listeners[-1].id, True))

    def too_small(self):
        """What the engine cannot carry at all."""
        self.edit(route_edits.change_device(self.session.setup, "second", buffer_frames=64, buffers=1))

    def block(self):
        self.edit(set_block(self.session.setup, 256 if self.session.setup.block_frames == N else N))

    def device(self):
        self.edit(route_edits.change_device(self.session.setup, "second", card=f"Card {self.rng.integers(3)}"))

    def undo(self):
        for _ in range(self.rng.integers(1, 4)):
            self.session.undo()

    def redo(self):
        for _ in range(self.rng.integers(1, 4)):
            self.session.redo()

    def air(self):
        self.on_air = not self.session.live.on_air
        self.running.set_on_air(self.on_air)

    def door(self):
        there = doors(self.session.setup)
        if not there:
            return
        id = there[self.rng.integers(len(there))]
        is_open = self.on_air and id not in self.kept_shut
        wanted = {x for x in there if self.on_air and x not in self.kept_shut} ^ {id}
        self.on_air = bool(wanted)
        if wanted:
            self.kept_shut = self.kept_shut - set(there) | (set(there) - wanted)
        self.running.set_doors(with_door(self.session.setup, self.session.live, id, not is_open))

    def silence(self):
        self.silent = not self.silent
        self.session.set_live(replace(self.session.live, silent=self.silent))

    def mute(self):
        id = self.some(self.session.setup.parts)
        self.muted ^= {id}
        self.session.set_live(replace(self.session.live, muted=frozenset(self.muted)))

    def moment(self):
        id = ("", "sing", "talk")[self.rng.integers(3)]
        self.session.set_live(replace(self.session.live, moment=id))

    def foot(self):
        """A pedal or two, tapped or let go later; nobody's window has heard of it when the engine obeys."""
        for _press in range(self.rng.integers(1, 4)):
            control = FEET[self.rng.integers(len(FEET))].control
            self.now += float(self.rng.uniform(0.0, 0.5))
            FEET_CLOCK.now = self.now  # what the application takes for the time
            for act, phase in self.feet.feed(control, control not in self.feet.down, self.now):
                self.acts.do(act, phase)
                mine = own_microphone(self.session.setup)
                is_muted = mine is not None and mine.id in self.muted
                if phase == "down":
                    self.done(act, None)
                    if act == "mute_me":
                        self.held = self.now, not is_muted
                elif act == "mute_me" and self.now - self.held[0] > HELD_S and is_muted == self.held[1]:
                    self.done(act, not is_muted)  # held for longer than a tap: as it was
        self.obeyed()

    def osc(self):
        address = ("silence", "mute", "moment", "moment/1", "nonsense")[self.rng.integers(5)]
        found = osc_act(f"/brucke/{address}", [(0, 1, 2, 0.5, "x")[self.rng.integers(5)]])
        if found is not None and found[0] in AT_ONCE:
            self.acts.do(found[0], "down", found[1])
            self.done(*found)
        self.obeyed()

    def done(self, act, value):
        """The model: as it is to be, or changed over."""
        mine = own_microphone(self.session.setup)
        if act == "silence":
            self.silent = not self.silent if value is None else value
        elif act == "mute_me" and mine is not None:
            muted = mine.id not in self.muted if value is None else value
            self.muted = self.muted | {mine.id} if muted else self.muted - {mine.id}

    def obeyed(self):
        """Before the window's thread has heard of it."""
        link = self.link
        if link is None or self.running.following is None:
            return
        link.play(SETTLED, self.rng)
        setup = self.session.setup
        for row, x in zip(self.running.following.carried.rows.order(setup).listeners, setup.listeners, strict=True):
            left = {r.part for r in setup.routes if r.listener == x.id and r.on} - self.muted
            if self.silent or (not left and x.kind != "monitor"):
                assert not link.newest[row].view(np.uint32).any(), f"{x.id} hears past a foot"

    def hear_as(self):
        id = ("", self.some(self.session.setup.listeners))[self.rng.integers(2)]
        self.session.set_live(replace(self.session.live, hears_as=id, half=bool(self.rng.integers(2))))

    def line(self):
        """On in the running order, or back, whatever stands there by now."""
        (self.order.next if self.rng.random() < 0.7 else self.order.back)()

    def lines(self):
        s = self.session.setup
        at = int(self.rng.integers(len(s.order) + 1))
        if len(s.order) > 3 and self.rng.random() < 0.6:
            self.edit(order_edits.remove_line(s, at))
        else:
            kind = ("talk", "pause", "song")[self.rng.integers(3)]
            self.edit(order_edits.add_line(s, kind, "Line", at - 1 if at else None))
        if self.rng.random() < 0.2:
            self.edit(moment_edits.remove_moment(self.session.setup, "sing"))
            self.edit(moment_edits.add_moment(self.session.setup, "Sing", "talk"))

    def measure(self):
        if self.measuring.busy and self.rng.random() < 0.3:
            self.measuring.cancel()
        else:
            self.measuring.begin()

    def kill(self):
        if self.link is not None:
            self.link.restart_engine()

    def save(self):
        self.session.save_as(self.folder / "hour.brucke.json")

    # What has to be so

    def check(self):
        session, link = self.session, self.link
        if link is None or self.running.following is None:
            return
        setup, live = session.setup, session.live
        order, outs = self.running.following.carried.rows.order(setup), link.newest
        for row, x in zip(order.listeners, setup.listeners, strict=True):
            heard = outs[row].view(np.uint32).any()
            is_open = not has_door(setup, x.id) or (self.on_air and x.id not in self.kept_shut)
            assert open_now(setup, x, live) == is_open, f"the screen says it otherwise of {x.id}"
            routed = [r for r in setup.routes if r.listener == x.id and r.on and r.way == "engine"]
            left = {r.part for r in routed} - self.muted
            if live.hears_as and x.kind == "monitor":  # then it is somebody else's
                assert not (self.silent and heard)
                continue
            if not is_open or self.silent or not left:
                assert not heard or (not left and self.measuring.busy and x.kind == "monitor" and not self.silent), x.id
            moment = setup.moment(live.moment)
            mutes = {(m.part, m.listener) for m in moment.routes if m.mute} if moment is not None else set()
            loud = {r.part for r in routed if r.part in left and (r.part, x.id) not in mutes}
            if is_open and not self.silent and loud and not self.measuring.busy and live.fade_db == 0:
                assert heard, f"{x.id} is said to hear {loud}"
        rows = [r for r, who in enumerate(self.running.following.carried.rows.listeners.who) if who is None]
        assert not outs[rows].view(np.uint32).any(), "nobody sits there"
        assert muted_now(setup, live) >= {p.id for p in setup.parts if p.id in self.muted}
        assert live.silent == self.silent


@pytest.fixture
def one_process(app, monkeypatch, tmp_path):
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path))
    monkeypatch.setattr(live_engine, "EngineLink", InOneProcess)
    monkeypatch.setattr(live_updates, "EngineLink", InOneProcess)
    monkeypatch.setattr(live_engine, "Supervisor", lambda *_: SimpleNamespace(start=lambda: None, stop=lambda: None,
        told=[], failures=[]))  # fmt: skip
    monkeypatch.setattr(Wirings, "check", lambda *_: None)
    monkeypatch.setattr(live_acts, "time", FEET_CLOCK)
    monkeypatch.setattr(host_module.time, "monotonic_ns", lambda: InOneProcess.clock.ns)
    return tmp_path


def test_whoever_is_closed_silenced_or_muted_gets_zeros_whatever_hands_do(one_process):
    for number in range(FIRST, FIRST + SEQUENCES):
        hour = Hour(np.random.default_rng(number), one_process)
        try:
            hour.settle()
            for _ in range(ACTS):
                hour.act()
                hour.settle()
                hour.check()
        except AssertionError as e:
            raise AssertionError(f"sequence {number}: {e}") from e
        finally:
            hour.running.stop()
