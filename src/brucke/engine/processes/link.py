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
import numpy.typing as npt

from ...core.measure.stimulus import StimulusKind, stimulus
from ...core.sound.processors import MAX_PLUG_INS
from ...ports.devices.opening import Wiring
from ..step.beside import ABSENT, DONE, STATE
from ..step.plan import F32, Plan, Shape
from .channel import Channel
from .region import Head, Region, chain_frames, record_frames, shape_text

LOUDNESS_SILENT_S = 10.0  # it runs at low priority: a busy machine is not a hanging one
HURRY = -10  # how nice an engine is that has to be ready soon
MEASURE_WORDS = {0: "", 1: "fading", 2: "sounding", 3: "done", 4: "refused"}


@dataclass(frozen=True)
class Child:
    process: subprocess.Popen[bytes]
    channel: Channel

    @property
    def alive(self) -> bool:
        return self.process.poll() is None


@dataclass(frozen=True)
class MeasureHandle:
    """What is being measured: the stimulus, and where its repeats start."""

    stimulus: F32
    repeats: int
    spacing: int


class EngineLink:
    """`world` is the module of the process behind the ports and its arguments; `card` a sound card that the
    engine itself opens."""

    def __init__(self, shape: Shape, plan: Plan, world: list[str], card: Wiring | None = None):
        self.shape = shape
        # One for every plug-in: a write wakes it.
        self._bells = [os.eventfd(0, os.EFD_NONBLOCK) for _ in range(MAX_PLUG_INS)]
        self.plug_ins: dict[int, Child] = {}
        bells = ",".join(map(str, self._bells))
        self._engine_arguments = [bells] if card is None else [bells, msgspec.json.encode(card).decode()]
        self.region = Region(shape)
        self.region.write_plan(plan)
        for name in ("loudness", "chain_loudness"):
            self.region.sound(name)[:] = -np.inf
        self.restarts = 0
        self.standbys: list[Child] = []  # the one that has waited longest first
        self.loudness: Child | None = None
        # The engine first: it takes longest to be ready.
        self.engine = self._spawn("engine", "brucke.engine.processes.host", *self._engine_arguments)
        self.engine.channel.send("go")
        self.world = self._spawn("world", world[0], *world[1:])
        self.recorder = self._spawn("recorder", "brucke.engine.processes.recorder")

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
        self.engine.channel.send("go")

    def get(self, field: Head) -> int:
        return self.region.get(field)

    @property
    def load(self) -> float:
        """Share of a block's time that the engine computes."""
        return self.region.get(Head.LOAD_PPM) / 1e6

    def inputs(self) -> tuple[F32, npt.NDArray[np.int64]]:
        """Copies of (peaks [captures] before any trim, blocks at full scale since the start [captures])."""
        clips: npt.NDArray[np.int64] = self.region["clips"].copy()
        return self.region.sound("input_peaks").copy(), clips

    def sum_peaks(self) -> F32:
        """The highest peak of every listener's sum [L] before it is held at full scale, since this was last asked."""
        peaks = self.region.sound("sum_peaks").copy()
        self.region.sound("sum_peaks")[:] = 0.0
        return peaks

    def missing(self) -> tuple[int, ...]:
        """Indices of the devices that are not there."""
        return tuple(int(i) for i in np.flatnonzero(self.region["missing"]))

    def recent(self, seconds: float) -> tuple[F32, F32]:
        """Copies of the newest (parts [P, S, frames], listeners [L, C, frames]), at most what the ring holds."""
        s = self.shape
        ring = self.region.sound("record_ring")
        done, size = self.region.get(Head.RECORDED), record_frames(s)
        frames = min(round(seconds * s.rate), done, size - s.rate // 2)
        index = np.arange(done - frames, done) % size
        rows = ring[:, index]
        rows[:, : max(0, self.region.get(Head.RECORDED) + s.block - size - (done - frames))] = 0.0
        split = s.sides * s.parts
        return rows[:split].reshape(s.parts, s.sides, -1), rows[split:].reshape(s.listeners, s.channels, -1)

    def into_chain(self, index: int, frames: int) -> F32:
        """A copy of the newest [2, frames] that went into a chain, parts first, then listeners; fewer after a start."""
        s, done = self.shape, self.region.get(Head.RECORDED)
        ring = self.region.sound("record_ring" if index < s.parts else "chain_ring")
        size = record_frames(s) if index < s.parts else chain_frames(s)
        rows = ring[index * s.sides : index * s.sides + 2] if index < s.parts else ring[index]
        frames = min(frames, done, size - s.rate // 4)
        sound: F32 = rows[:, np.arange(done - frames, done) % size]
        # What was written over while it was copied is not what was asked for.
        sound[:, : max(0, self.region.get(Head.RECORDED) + s.block - size - (done - frames))] = 0.0
        return sound

    def meters(self) -> tuple[F32, F32]:
        """Copies of (parts [P, S, peak and mean square], listeners [L, C, peak and mean square])."""
        return self.region.sound("part_meters").copy(), self.region.sound("out_meters").copy()

    def readings(self) -> F32:
        """A copy of what the processors tell [P + L, MAX_SLOTS + 1, READINGS]: see `region.py`."""
        return self.region.sound("readings").copy()

    def listener_loudness(self) -> F32:
        """A copy of [L, LOUDNESS]: momentary, short-term, integrated in LUFS, true peak in dBTP, seconds."""
        return self.region.sound("loudness").copy()

    def chain_loudness(self) -> F32:
        """A copy of [P + L, before and after the chain] in LUFS, of the same moments; −∞ where nothing sounded."""
        return self.region.sound("chain_loudness").copy()

    def ask_for_gain(
        self, index: int, chain: list[Any], now: list[Any], slot: int, target_lufs: float, seconds: float
    ) -> None:  # fmt: skip
        """What gain in `slot` of `chain` would bring a listener to a loudness, after so much has been heard; the chain
        in force is `now`. See `gain_answer`."""
        if self.loudness is not None:
            self.loudness.channel.send(
                "target", index=index, chain=chain, now=now, slot=slot, target_lufs=target_lufs, seconds=seconds
            )

    def gain_answer(self) -> dict[str, Any] | None:
        """`listener` (index of its chain), `gain_db`, `lufs`, which is None where nothing was heard; None before."""
        return self.loudness.channel.receive() if self.loudness is not None else None

    def measure_loudness_anew(self) -> None:
        self.region.set(Head.LOUDNESS_FROM, self.region.get(Head.RECORDED))

    # Orders

    def send_plan(self, plan: Plan) -> None:
        self.region.write_plan(plan)

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
            "measure", listener=listener, capture=capture, repeats=repeats, spacing=spacing, length=len(sound)
        )
        return MeasureHandle(sound, repeats, spacing)

    @property
    def measure_state(self) -> tuple[str, float]:
        return MEASURE_WORDS[self.region.get(Head.MEASURE_STATE)], self.region.get(Head.MEASURE_PPM) / 1e6

    def measured(self, handle: MeasureHandle) -> F32:
        length = handle.repeats * handle.spacing + self.shape.rate // 2
        return self.region.sound("measured")[:length].copy()

    def end_measuring(self) -> None:
        self.engine.channel.send("stop_measuring")

    def listen_back(self, listener: int, sound: F32, at: int = 0) -> None:
        """Play up to a minute of sound [2, frames] to one listener in place of its routes, from frame `at`."""
        area = self.region.sound("back")
        frames = min(sound.shape[1], area.shape[1])
        area[:, :frames] = sound[:, :frames]
        self.engine.channel.send("listen_back", listener=listener, frames=frames, at=at)

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

    def track_rows(
        self, parts: list[tuple[str, int, int]], listeners: list[tuple[str, int, int]]
    ) -> dict[str, list[int]]:
        """Rows of the recorder's ring by track name, from (id, index, channels)."""
        sides = self.shape.sides
        rows = {f"parts/{id}": [sides * p + c for c in range(channels)] for id, p, channels in parts}
        base = sides * self.shape.parts
        for id, x, channels in listeners:
            rows[f"listeners/{id}"] = [base + x * self.shape.channels + c for c in range(channels)]
        return rows

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
        children = [c for c in (self.engine, *self.standbys, self.recorder, self.loudness, self.world) if c is not None]
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
