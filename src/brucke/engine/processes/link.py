"""The window's only way to a running engine: starts and watches its processes, sends plans, reads meters.

Three children share one region: the engine (block path), the recorder, and whatever stands behind the ports
(here, the simulated world). When the engine dies it is started again with the same plan and the recorder
goes on; the others notice nothing but the gap.
"""

import contextlib
import os
import subprocess
import sys
import time
from dataclasses import dataclass
from typing import Any

import msgspec
import numpy as np

from ...core.measure.stimulus import StimulusKind, stimulus
from ...core.routing.rows import Order
from ...core.sound.processors import MAX_PLUG_INS
from ...ports.devices.card import CardWiring
from ...ports.devices.clocks.head import MatchedHead
from ...ports.devices.opening import Wirings
from ..step.beside import ABSENT, DONE, STATE
from ..step.plan import F32, Plan, Shape
from .channel import Channel
from .reading import MeasureHandle, Reading
from .region import Head, Region, shape_text

LOUDNESS_SILENT_S = 10.0  # it runs at low priority: a busy machine is not a hanging one
MATCHED_SILENT_S = 5.0  # opening a card may take its time
HURRY = -10  # how nice an engine is that has to be ready soon


@dataclass(frozen=True)
class Child:
    process: subprocess.Popen[bytes]
    channel: Channel

    @property
    def alive(self) -> bool:
        return self.process.poll() is None


class EngineLink(Reading):
    """`world` is the module of the process behind the ports and its arguments; `wirings` the real devices.

    Orders count parts, listeners and captures as the setup has them, see `reading.py`.
    """

    def __init__(
        self, shape: Shape, plan: Plan, world: list[str], wirings: Wirings | None = None, order: Order | None = None
    ):  # fmt: skip
        super().__init__(Region(shape), order)
        # One for every plug-in: a write wakes it.
        self._bells = [os.eventfd(0, os.EFD_NONBLOCK) for _ in range(MAX_PLUG_INS)]
        self.plug_ins: dict[int, Child] = {}
        bells = ",".join(map(str, self._bells))
        wirings = wirings or Wirings()
        self._wiring = msgspec.json.encode(wirings).decode()
        self._engine_arguments = [bells, self._wiring]
        self.region.write_plan(plan)
        for name in ("loudness", "chain_loudness"):
            self.region.sound(name)[:] = -np.inf
        self.restarts = 0
        self.standbys: list[Child] = []  # the one that has waited longest first
        self.loudness: Child | None = None
        # The engine first: it takes longest to be ready.
        self.engine = self._spawn("engine", "brucke.engine.processes.host", *self._engine_arguments)
        self.engine.channel.send("go", wiring=self._wiring)
        self.world = self._spawn("world", world[0], *world[1:])
        self.recorder = self._spawn("recorder", "brucke.engine.processes.recorder")
        self.matched: dict[int, tuple[Child, CardWiring]] = {}
        self._match(wirings)

    def listen(self) -> None:
        """Loudness is measured from now on, by a process of its own."""
        if self.loudness is None:
            self.region.set(Head.LOUDNESS_NS, time.monotonic_ns())
            self.loudness = self._spawn("loudness", "brucke.engine.processes.loudness")

    def watch_helpers(self) -> list[str]:
        """Those beside the engine that are gone or do nothing are started anew; which they were."""
        found = []
        for gone in [s for s in self.standbys if not s.alive]:
            self._end(gone)
            self.standbys.remove(gone)
            self.stand_by()
            found.append("standby")
        for row, (child, wiring) in list(self.matched.items()):
            looked: Any = self.region["matched"][row, MatchedHead.LOOKED_NS]
            hangs = looked and (time.monotonic_ns() - int(looked)) / 1e9 > MATCHED_SILENT_S
            if not child.alive or hangs:
                self._end_matched(row)
                self._begin_matched(wiring)
                found.append("matched")
        silent = (time.monotonic_ns() - self.region.get(Head.LOUDNESS_NS)) / 1e9
        if self.loudness is not None and (not self.loudness.alive or silent > LOUDNESS_SILENT_S):
            self._end(self.loudness)
            self.loudness = None
            self.listen()
            found.append("loudness")
        return found

    def stand_by(self, hurry: bool = False) -> None:
        """One engine more that gets ready and waits, so that a death is short; in a `hurry` before others, as far as this
        user may."""
        child = self._spawn("standby", "brucke.engine.processes.host", *self._engine_arguments)
        self.standbys.append(child)
        if hurry:
            with contextlib.suppress(OSError):
                os.setpriority(os.PRIO_PROCESS, child.process.pid, HURRY)

    def _spawn(self, role: str, module: str, *arguments: str) -> Child:
        channel, theirs = Channel.pair()
        argv = [
            sys.executable,
            "-m",
            module,
            shape_text(self.shape),
            str(self.region.fd),
            str(theirs.fileno()),
            *arguments,
        ]
        process = subprocess.Popen(
            argv, pass_fds=(self.region.fd, theirs.fileno(), *self._bells), stdin=subprocess.DEVNULL, stdout=subprocess.DEVNULL,
            env={**os.environ, "BRUCKE_ROLE": role, "OMP_NUM_THREADS": "1", "OPENBLAS_NUM_THREADS": "1"},
        )  # fmt: skip
        theirs.close()
        return Child(process, channel)

    # State

    @property
    def running(self) -> bool:
        """Whether sound is flowing."""
        return self.engine.alive and self.region.get(Head.STATE) == 1 and self.region.get(Head.WORLD_STATE) == 1

    @property
    def engine_died(self) -> bool:
        return not self.engine.alive

    def restart_engine(self) -> None:
        """A new engine with the plan last sent."""
        self.engine.channel.close()
        self.region.set(Head.STATE, 0)
        self.region.set(Head.MEASURE_STATE, 0)
        self.region.set(Head.BACK, -1)
        self.restarts += 1
        self.engine.process.kill()
        self.engine.process.wait()
        while self.standbys and not self.standbys[0].alive:
            self._end(self.standbys.pop(0))
        ready = self.standbys.pop(0) if self.standbys else None
        if ready is not None:
            self.stand_by(hurry=True)  # the next death may come before it is its turn
        self.engine = ready or self._spawn("engine", "brucke.engine.processes.host", *self._engine_arguments)
        self.engine.channel.send("go", wiring=self._wiring)

    def ask_for_gain(
        self, index: int, chain: list[Any], now: list[Any], slot: int, target_lufs: float, seconds: float
    ) -> None:  # fmt: skip
        """What gain in `slot` of `chain` would bring a listener to a loudness, after so much has been heard; the chain
        in force is `now`. See `gain_answer`."""
        if self.loudness is not None:
            self.loudness.channel.send(
                "target",
                index=self._chain_rows()[index],
                chain=chain,
                now=now,
                slot=slot,
                target_lufs=target_lufs,
                seconds=seconds,
            )

    def gain_answer(self) -> dict[str, Any] | None:
        """`listener` (index of its chain, −1 where it is gone), `gain_db`, `lufs`, which is None where nothing was heard;
        None before."""
        answer = self.loudness.channel.receive() if self.loudness is not None else None
        if answer is not None:
            rows = self._chain_rows()
            answer["listener"] = rows.index(answer["listener"]) if answer["listener"] in rows else -1
        return answer

    def measure_loudness_anew(self) -> None:
        self.region.set(Head.LOUDNESS_FROM, self.region.get(Head.RECORDED))

    # Orders

    def send_plan(self, plan: Plan, order: Order | None = None) -> None:
        """Another plan, and where everything is in it from now on."""
        self.order = order or self.order
        self.region.write_plan(plan)

    def rewire(self, wirings: Wirings) -> None:
        """What leads goes on as this, see `can_follow`; what is matched comes and goes by itself."""
        self._wiring = msgspec.json.encode(wirings).decode()
        self.engine.channel.send("wiring", wiring=self._wiring)
        self._match(wirings)

    # Devices with a clock of their own

    def _match(self, wirings: Wirings) -> None:
        wanted = {w.devices[0]: w for w in wirings.matched}
        for row, (child, opened) in list(self.matched.items()):
            new = wanted.pop(row, None)
            if new is not None and new.can_follow(opened):
                child.channel.send("wiring", wiring=msgspec.json.encode(new).decode())
                self.matched[row] = child, msgspec.structs.replace(new, inputs=opened.inputs, outputs=opened.outputs)
                continue
            self._end_matched(row)
            if new is not None:
                self._begin_matched(new)
        for new in wanted.values():
            self._begin_matched(new)

    def _begin_matched(self, wiring: CardWiring) -> None:
        text = msgspec.json.encode(wiring).decode()
        self.matched[wiring.devices[0]] = self._spawn("matched", "brucke.engine.processes.matched", text), wiring

    def _end_matched(self, row: int) -> None:
        child, _ = self.matched.pop(row)
        self._end(child)
        told: Any = self.region["matched"]
        told[row] = 0
        self.region["missing"][row] = 0

    def set_on_air(self, on_air: bool) -> None:
        self.engine.channel.send("on_air", value=on_air)

    def measure(self, listener: int, capture: int, kind: StimulusKind, level_db: float, repeats: int) -> MeasureHandle:
        """Begin measuring a round trip; watch `measure_state`."""
        sound = stimulus(kind, self.shape.rate, level_db)
        spacing = len(sound) + self.shape.rate // 2
        self.region.sound("measured")[:] = 0.0
        self.region.sound("stimulus")[: len(sound)] = sound
        self.region.set(Head.MEASURE_PPM, 0)
        self.engine.channel.send(
            "measure", listener=self.order.listeners[listener], capture=self.order.captures[capture], repeats=repeats,
            spacing=spacing, length=len(sound),
        )  # fmt: skip
        return MeasureHandle(sound, repeats, spacing)

    def end_measuring(self) -> None:
        self.engine.channel.send("stop_measuring")

    def listen_back(self, listener: int, sound: F32, at: int = 0) -> None:
        """Play up to a minute of sound [2, frames] to one listener in place of its routes, from frame `at`."""
        area = self.region.sound("back")
        frames = min(sound.shape[1], area.shape[1])
        area[:, :frames] = sound[:, :frames]
        self.engine.channel.send("listen_back", listener=self.order.listeners[listener], frames=frames, at=at)

    def stop_listening_back(self) -> None:
        self.engine.channel.send("stop_listening_back")

    def record(self, folder: str, tracks: dict[str, list[int]], resume: bool = False) -> None:
        """Begin, or go on after the last segment in `folder`; watch whether its files grow."""
        self.recorder.channel.send("start", folder=folder, tracks=tracks, resume=resume)

    def seal_recording(self, folder: str, tracks: list[str]) -> None:
        """Cut what a recorder that is gone has left to the frame that all tracks have."""
        self.recorder.channel.send("seal", folder=folder, tracks=tracks)

    def renew_recorder(self) -> None:
        """Another recorder in place of one that is gone or does nothing."""
        self._end(self.recorder)
        self.recorder = self._spawn("recorder", "brucke.engine.processes.recorder")

    def stop_recording(self) -> None:
        self.recorder.channel.send("stop")

    def tell_world(self, do: str, **values: Any) -> None:
        """play, pause, seek, cable … : acts of whoever stands behind the ports."""
        self.world.channel.send(do, **values)

    # Plug-ins

    def start_plug_in(self, place: int, file: str, name: str, latency_frames: int, settings: dict[str, float]) -> None:
        """In a process of its own; watch `plug_in_state`."""
        self.stop_plug_in(place)
        child = self._spawn(
            "plug-in", "brucke.engine.processes.plug_in", str(place), str(self._bells[place]), file, name,
            str(latency_frames),
        )  # fmt: skip
        for key, value in settings.items():
            child.channel.send("set", key=key, value=value)
        child.channel.send("go")
        self.plug_ins[place] = child

    def set_plug_in(self, place: int, key: str, value: float) -> None:
        if place in self.plug_ins:
            self.plug_ins[place].channel.send("set", key=key, value=value)

    def plug_in_state(self, place: int) -> tuple[int, int]:
        """(what its process says of itself, see `beside.py`; blocks it has done)."""
        told: Any = self.region["plug_ins"][place]
        return int(told[STATE]), int(told[DONE])

    @staticmethod
    def _end(child: Child) -> None:
        """At once: it may hang."""
        child.process.kill()
        child.process.wait()
        child.channel.close()

    def stop_plug_in(self, place: int) -> None:
        """At once: it may hang."""
        child = self.plug_ins.pop(place, None)
        told: Any = self.region["plug_ins"][place]
        told[STATE] = ABSENT
        if child is not None:
            self._end(child)

    def close(self) -> None:
        """End every child and give the memory back."""
        for place in list(self.plug_ins):
            self.stop_plug_in(place)
        matched = [child for child, _ in self.matched.values()]
        children = [c for c in (self.engine, *self.standbys, *matched, self.recorder, self.loudness, self.world) if c]
        for child in children:
            child.channel.send("quit")
        until = time.monotonic() + 3
        for child in children:
            try:
                child.process.wait(max(0.1, until - time.monotonic()))
            except subprocess.TimeoutExpired:
                child.process.kill()
                child.process.wait()
            child.channel.close()
        for bell in self._bells:
            os.close(bell)
        self.region.close()
