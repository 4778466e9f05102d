"""The window's only way to a running engine: starts and watches its processes, sends plans, reads meters.

Three children share one region: the engine (block path), the recorder, and whatever stands behind the ports (the
simulated world). When the engine dies it starts again with the same plan; the others notice nothing but the gap.
"""

import os
import subprocess
import time
from typing import Any

import msgspec
import numpy as np

from ...core.measure.stimulus import StimulusKind, stimulus
from ...core.routing.rows import Order
from ...core.sound.processors import MAX_PLUG_INS
from ...ports.devices.card import CardWiring
from ...ports.devices.clocks.head import MatchedHead
from ...ports.devices.opening import Wirings
from ..step.plan import F32, Plan, PlanSet, Shape
from ..step.plug_in_io import ABSENT, DONE, STATE
from ..step.safety import Safety, Word
from .backoff import Backoff
from .child import Child, end_child, spawn
from .messages import (  # fmt: skip
    LASTING,
    Begin,
    BeginPlugIn,
    GainForTarget,
    ListenBack,
    MeasureRoundTrip,
    Play,
    Quit,
    Record,
    Rewire,
    RewireMatched,
    Seal,
    Seek,
    SetParameter,
    StopListeningBack,
    StopMeasuring,
    StopRecording,
    TargetLoudness,
    WorldMessage,
)
from .process_end import end
from .reading import MeasureHandle, Reading
from .region import Head, Region

# It runs at low priority: a busy machine is no hanging one, and one that is started again and again makes it busier.
LOUDNESS_SILENT_S, LOUDNESS_START_S = 10.0, 20.0
MATCHED_SILENT_S = 5.0  # opening a card may take its time
FIRST_OPENING_NS = 5_000_000_000  # so much longer it may take a process to begin
HURRY = -10  # how nice an engine is that has to be ready soon


class EngineLink(Reading):
    """`world` is the module of the process behind the ports and its arguments; `wirings` the real devices.

    Orders count parts, listeners and captures as the setup has them, see `reading.py`.
    """

    def __init__(
        self, shape: Shape, plan: Plan | PlanSet, world: list[str], wirings: Wirings | None = None,
        order: Order | None = None,
        safety: Safety | None = None,
    ):  # fmt: skip
        super().__init__(Region(shape), order)
        # One for every plug-in: a write wakes it.
        self._bells = [os.eventfd(0, os.EFD_NONBLOCK) for _ in range(MAX_PLUG_INS)]
        self.plug_ins: dict[int, Child] = {}
        bells = ",".join(map(str, self._bells))
        wirings = wirings or Wirings()
        self._wirings = wirings
        self._engine_arguments = [bells, msgspec.json.encode(wirings).decode()]
        self._measurements = self._frames_before = 0
        self._write(plan)
        if safety is not None:
            self.tell(safety)
        for name in ("loudness", "chain_loudness"):
            self.region.sound(name)[:] = -np.inf
        self.restarts = 0
        self.spare_recorder: Child | None = None  # ready, so that what the ring holds is enough
        self.standbys: list[Child] = []  # the one that has waited longest first
        self.loudness: Child | None = None
        # The engine first: it takes longest to be ready.
        self.engine = self._spawn("engine", "brucke.engine.processes.host", *self._engine_arguments)
        self.engine.channel.send(Begin(wirings=self._wirings))
        self._world = world
        self._world_told: dict[type[WorldMessage], WorldMessage] = {}  # what another world has to be told first
        self.world = self._spawn("world", world[0], *world[1:])
        self.recorder = self._spawn("recorder", "brucke.engine.processes.recorder")
        self.matched: dict[int, tuple[Child, CardWiring]] = {}
        self._wanted_matched: Wirings | None = None
        self._pauses: dict[str, Backoff] = {}
        self._match(wirings)
        self._seat_peers(Wirings(), wirings)

    def listen(self) -> None:
        """Loudness is measured from now on, by a process of its own."""
        if self.loudness is None:
            self.region.set(Head.LOUDNESS_NS, time.monotonic_ns() + round(LOUDNESS_START_S * 1e9))
            self.loudness = self._spawn("loudness", "brucke.engine.processes.loudness")

    def watch_helpers(self) -> list[str]:
        """Those beside the engine that are gone or do nothing are started anew; which they were."""
        found = []
        for dead in [s for s in self.standbys if not s.alive]:
            end_child(dead)
            self.standbys.remove(dead)  # when there is another one is whoever watches' to decide
            found.append("standby")
        self._settle_matched()
        wanted = len(self.standbys) > 1 and (self.spare_recorder is None or not self.spare_recorder.alive)
        if wanted and self._may("spare recorder"):  # after the engines that stand by: they are waited for less long
            if self.spare_recorder is not None:
                end_child(self.spare_recorder)
            self.spare_recorder = self._spawn("recorder", "brucke.engine.processes.recorder")
        for row, (child, wiring) in list(self.matched.items()):
            looked: Any = self.region["matched"][row, MatchedHead.LOOKED_NS]
            hangs = looked and (time.monotonic_ns() - int(looked)) / 1e9 > MATCHED_SILENT_S
            if (not child.alive or hangs) and self._may(f"matched {row}"):
                self._end_matched(row)
                self._begin_matched(wiring)
                found.append("matched")
        silent = (time.monotonic_ns() - self.region.get(Head.LOUDNESS_NS)) / 1e9
        gone = self.loudness is not None and (not self.loudness.alive or silent > LOUDNESS_SILENT_S)
        if self.loudness is not None and gone and self._may("loudness"):
            end_child(self.loudness)
            self.loudness = None
            self.listen()
            found.append("loudness")
        return found

    def _may(self, what: str) -> bool:
        """Whether it is time to start a helper again, which is then done."""
        pauses, now = self._pauses.setdefault(what, Backoff()), time.monotonic()
        if not pauses.may(now):
            return False
        pauses.begins(now)
        return True

    def stand_by(self, hurry: bool = False) -> None:
        """One engine more that gets ready and waits, so that a death is short; in a `hurry` before others, as far as
        this user may."""
        nice = HURRY if hurry else 0
        child = self._spawn("standby", "brucke.engine.processes.host", *self._engine_arguments, nice=nice)
        self.standbys.append(child)

    def _spawn(self, role: str, module: str, *arguments: str, nice: int = 0) -> Child:
        return spawn(role, module, self.region, self._bells, arguments, nice, forked=role != "plug-in")

    # State

    @property
    def running(self) -> bool:
        """Whether sound is flowing: the engine of now has done a block."""
        flows = self.region.get(Head.FRAMES) > self._frames_before
        return (
            self.engine.alive and flows and self.region.get(Head.STATE) == 1 and self.region.get(Head.WORLD_STATE) == 1
        )

    @property
    def engine_died(self) -> bool:
        return not self.engine.alive

    def restart_engine(self) -> None:
        """A new engine with the plan last sent."""
        self.engine.channel.close()
        self.region.set(Head.STATE, 0)
        self._frames_before = self.region.get(Head.FRAMES)
        self.region.set(Head.MEASURE_STATE, 0)
        self.region.safety.words[Word.MEASURING] = 0
        self.region.set(Head.BACK, -1)
        self.restarts += 1
        end(self.engine.process)
        while self.standbys and not self.standbys[0].alive:
            end_child(self.standbys.pop(0))
        ready = self.standbys.pop(0) if self.standbys else None
        if ready is not None:
            self.stand_by(hurry=True)  # the next death may come before it is its turn
        self.engine = ready or self._spawn("engine", "brucke.engine.processes.host", *self._engine_arguments)
        self.engine.channel.send(Begin(wirings=self._wirings))

    def ask_for_gain(self, question: TargetLoudness) -> None:
        """`question.index` counts chains as the order has them. See `gain_answer`."""
        if self.loudness is not None:
            row = self._chain_rows()[question.index]
            self.loudness.channel.send(msgspec.structs.replace(question, index=row))

    def gain_answer(self) -> GainForTarget | None:
        """The answer, its index as asked, −1 where that listener is gone; None before."""
        answer = self.loudness.channel.receive() if self.loudness is not None else None
        if not isinstance(answer, GainForTarget):
            return None
        rows = self._chain_rows()
        return msgspec.structs.replace(answer, index=rows.index(answer.index) if answer.index in rows else -1)

    def measure_loudness_anew(self) -> None:
        self.region.set(Head.LOUDNESS_FROM, self.region.get(Head.RECORDED))

    # Orders

    def send_plan(self, plan: Plan | PlanSet, order: Order | None = None) -> None:
        """Another plan, and where everything is in it from now on."""
        self.order = order or self.order
        self._write(plan)

    def _write(self, plan: Plan | PlanSet) -> None:
        if isinstance(plan, PlanSet):
            self.region.write_plan(plan.plan, plan.moments)
        else:
            self.region.write_plan(plan)

    def tell(self, safety: Safety) -> None:
        """Who is open, who is muted, silence and the moment: in force with the next block, without any plan."""
        self.region.safety.write(safety)

    def rewire(self, wirings: Wirings) -> None:
        """What leads goes on as this, see `can_follow`; what is matched comes and goes by itself."""
        self._seat_peers(self._wirings, wirings)
        self._wirings = wirings
        self.engine.channel.send(Rewire(wirings=wirings))
        self._wanted_matched = wirings

    # Devices with a clock of their own, begun and ended by whoever watches the helpers

    def _settle_matched(self) -> None:
        wirings, self._wanted_matched = self._wanted_matched, None
        if wirings is not None:
            self._match(wirings)

    def _match(self, wirings: Wirings) -> None:
        wanted = {w.devices[0]: w for w in wirings.matched}
        for row, (child, opened) in list(self.matched.items()):
            new = wanted.pop(row, None)
            if new is not None and new.can_follow(opened):
                child.channel.send(RewireMatched(wiring=new))
                self.matched[row] = child, msgspec.structs.replace(new, inputs=opened.inputs, outputs=opened.outputs)
                continue
            self._end_matched(row)
            if new is not None:
                self._begin_matched(new)
        for new in wanted.values():
            self._begin_matched(new)

    def _begin_matched(self, wiring: CardWiring) -> None:
        row, text = wiring.devices[0], msgspec.json.encode(wiring).decode()
        told: Any = self.region["matched"]
        told[row, MatchedHead.LOOKED_NS] = time.monotonic_ns() + FIRST_OPENING_NS
        self.matched[row] = self._spawn("matched", "brucke.engine.processes.clock_matched_device", text), wiring

    def _end_matched(self, row: int) -> None:
        child, _ = self.matched.pop(row)
        end_child(child)
        told: Any = self.region["matched"]
        lost = int(told[row, MatchedHead.LATE] + told[row, MatchedHead.DROPOUTS])
        self.region.set(Head.MATCHED_LOST, self.region.get(Head.MATCHED_LOST) + lost)  # what was lost was lost
        told[row] = 0
        self.region["missing"][row] = 0

    # Other computers, whose processes are not ours

    def let_go_of_peer(self, row: int) -> None:
        """Nobody speaks with this computer: its device is silent and missing."""
        told: Any = self.region["matched"]
        told[row, MatchedHead.THERE] = 0
        self.region["missing"][row] = 1

    def _seat_peers(self, before: Wirings, after: Wirings) -> None:
        """One that comes is missing until it answers; the row of one that has left is anybody's."""
        told: Any = self.region["matched"]
        old, new = ({w.devices[0] for w in wirings.peers} for wirings in (before, after))
        for row in old - new:
            told[row], self.region["missing"][row] = 0, 0
        for row in new - old:
            self.let_go_of_peer(row)

    def measure(self, listener: int, capture: int, kind: StimulusKind, level_db: float, repeats: int) -> MeasureHandle:
        """Begin measuring a round trip; watch `measure_state`."""
        sound = stimulus(kind, self.shape.rate, level_db)
        spacing = len(sound) + self.shape.rate // 2
        self.region.sound("measured")[:] = 0.0
        self.region.sound("stimulus")[: len(sound)] = sound
        self.region.set(Head.MEASURE_PPM, 0)
        self.region.set(Head.MEASURE_STATE, 0)  # nothing of an earlier one is taken for an answer
        self._measurements += 1
        self.region.safety.words[Word.MEASURING] = self._measurements
        self.engine.channel.send(
            MeasureRoundTrip(
                number=self._measurements,
                listener=(*self.order.listeners, *self.order.steps)[listener],
                capture=self.order.captures[capture],
                repeats=repeats,
                spacing=spacing,
                length=len(sound),
            )
        )
        return MeasureHandle(sound, repeats, spacing)

    def end_measuring(self) -> None:
        self.region.safety.words[Word.MEASURING] = 0
        self.engine.channel.send(StopMeasuring())

    def listen_back(self, listener: int, sound: F32, at: int = 0) -> None:
        """Play up to a minute of sound [2, frames] to one listener in place of its routes, from frame `at`."""
        area = self.region.sound("back")
        frames = min(sound.shape[1], area.shape[1])
        area[:, :frames] = sound[:, :frames]
        self.engine.channel.send(ListenBack(listener=self.order.listeners[listener], frames=frames, at=at))

    def stop_listening_back(self) -> None:
        self.engine.channel.send(StopListeningBack())

    def record(self, folder: str, tracks: dict[str, list[int]], resume: bool = False, since: int = -1) -> None:
        """Begin, or go on after the last segment in `folder`; watch whether its files grow."""
        self.recorder.channel.send(Record(folder=folder, tracks=tracks, resume=resume, since=since))

    def seal_recording(self, folder: str, tracks: list[str]) -> None:
        """Cut what a recorder that is gone has left to the frame that all tracks have."""
        self.recorder.channel.send(Seal(folder=folder, tracks=tracks))

    def renew_recorder(self) -> None:
        """Another recorder in place of one that is gone or does nothing."""
        spare, self.spare_recorder = self.spare_recorder, None
        ready = spare if spare is not None and spare.alive else None
        old, self.recorder = self.recorder, ready or self._spawn("recorder", "brucke.engine.processes.recorder")
        end_child(old)

    def stop_recording(self) -> None:
        self.recorder.channel.send(StopRecording())

    def tell_world(self, message: WorldMessage) -> None:
        """Whoever stands behind the ports does this."""
        if isinstance(message, LASTING):
            self._world_told[type(message)] = message
        self.world.channel.send(message)

    def restart_world(self) -> None:
        """Another one behind the ports, with what this one was told; the song goes on from where it was."""
        frame, playing = self.region.get(Head.PLAYER_FRAME), self.region.get(Head.PLAYER_STATE)
        self.region.set(Head.WORLD_STATE, 0)
        old, self.world = self.world, self._spawn("world", self._world[0], *self._world[1:])
        end_child(old)
        for message in list(self._world_told.values()):
            self.world.channel.send(message)
        self.world.channel.send(Seek(frame=frame))
        if playing:
            self.world.channel.send(Play())

    # Plug-ins

    def start_plug_in(self, place: int, file: str, name: str, latency_frames: int, settings: dict[str, float]) -> None:
        """In a process of its own; watch `plug_in_state`."""
        self.stop_plug_in(place)
        child = self._spawn(
            "plug-in", "brucke.engine.processes.plug_in", str(place), str(self._bells[place]), file, name,
            str(latency_frames),
        )  # fmt: skip
        for key, value in settings.items():
            child.channel.send(SetParameter(key=key, value=value))
        child.channel.send(BeginPlugIn())
        self.plug_ins[place] = child

    def set_plug_in(self, place: int, key: str, value: float) -> None:
        if place in self.plug_ins:
            self.plug_ins[place].channel.send(SetParameter(key=key, value=value))

    def plug_in_state(self, place: int) -> tuple[int, int]:
        """(what its process says of itself, see `plug_in_io.py`; blocks it has done)."""
        told: Any = self.region["plug_ins"][place]
        return int(told[STATE]), int(told[DONE])

    def stop_plug_in(self, place: int) -> None:
        """At once: it may hang."""
        child = self.plug_ins.pop(place, None)
        told: Any = self.region["plug_ins"][place]
        told[STATE] = ABSENT
        if child is not None:
            end_child(child)

    def close(self) -> None:
        """End every child and give the memory back."""
        for place in list(self.plug_ins):
            self.stop_plug_in(place)
        matched = [child for child, _ in self.matched.values()]
        others = (self.recorder, self.spare_recorder, self.loudness, self.world)
        children = [c for c in (self.engine, *self.standbys, *matched, *others) if c]
        for child in children:
            child.channel.send(Quit())
        until = time.monotonic() + 3
        for child in children:
            try:
                child.process.wait(max(0.1, until - time.monotonic()))
            except subprocess.TimeoutExpired:
                end(child.process)
            child.channel.close()
        for bell in self._bells:
            os.close(bell)
        self.region.close()
