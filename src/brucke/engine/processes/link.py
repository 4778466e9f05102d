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
from ...core.routing.rows import MAX_DEVICES, SIDES, Order, parts_of
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
    engine itself opens.

    Whoever asks here counts parts, listeners, captures and devices as the setup has them; `order` says in which rows of
    the engine they are, without it each in its own.
    """

    def __init__(
        self, shape: Shape, plan: Plan, world: list[str], card: Wiring | None = None, order: Order | None = None
    ):  # fmt: skip
        self.shape = shape
        self.order = order or Order(
            tuple((p,) for p in range(shape.parts)), tuple(range(shape.listeners)), tuple(range(shape.captures)),
            tuple(range(MAX_DEVICES)),
        )  # fmt: skip
        # One for every plug-in: a write wakes it.
        self._bells = [os.eventfd(0, os.EFD_NONBLOCK) for _ in range(MAX_PLUG_INS)]
        self.plug_ins: dict[int, Child] = {}
        bells = ",".join(map(str, self._bells))
        self._wiring = "" if card is None else msgspec.json.encode(card).decode()
        self._engine_arguments = [bells, self._wiring] if card is not None else [bells]
        self.region = Region(shape)
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
        self.engine.channel.send("go", wiring=self._wiring)

    def get(self, field: Head) -> int:
        return self.region.get(field)

    @property
    def load(self) -> float:
        """Share of a block's time that the engine computes."""
        return self.region.get(Head.LOAD_PPM) / 1e6

    def inputs(self) -> tuple[F32, npt.NDArray[np.int64]]:
        """Copies of (peaks [captures] before any trim, blocks at full scale since the start [captures])."""
        rows = list(self.order.captures)
        clips: npt.NDArray[np.int64] = self.region["clips"][rows].astype(np.int64)
        return self.region.sound("input_peaks")[rows], clips

    def sum_peaks(self) -> F32:
        """The highest peak of every listener's sum [L] before it is held at full scale, since this was last asked."""
        peaks: F32 = self.region.sound("sum_peaks")[list(self.order.listeners)]
        self.region.sound("sum_peaks")[:] = 0.0
        return peaks

    def missing(self) -> tuple[int, ...]:
        """Indices of the devices that are not there."""
        return tuple(i for i, row in enumerate(self.order.devices) if self.region["missing"][row])

    def recent(self, seconds: float) -> tuple[F32, F32]:
        """Copies of the newest (parts [P, S, frames], listeners [L, C, frames]), at most what the ring holds."""
        s = self.shape
        ring = self.region.sound("record_ring")
        done, size = self.region.get(Head.RECORDED), record_frames(s)
        frames = min(round(seconds * s.rate), done, size - s.rate // 2)
        index = np.arange(done - frames, done) % size
        rows = ring[:, index]
        rows[:, : max(0, self.region.get(Head.RECORDED) + s.block - size - (done - frames))] = 0.0
        split = SIDES * s.parts
        parts, outs = rows[:split].reshape(s.parts, SIDES, -1), rows[split:].reshape(s.listeners, s.channels, -1)
        for row, sound in enumerate((*parts, *outs)):
            self._only_its_own(sound, row, done - frames)
        return parts_of(parts, self.order.parts), outs[list(self.order.listeners)]

    def _only_its_own(self, sound: F32, row: int, begin: int) -> None:
        """What was there before whoever sits in a row now, parts first, is none of it."""
        born = int(self.region["born"][row])
        sound[:, : min(max(0, born - begin), sound.shape[1])] = 0.0

    def _chain_rows(self) -> list[int]:
        """Of the chains, parts first, then listeners; −1 where a part has none."""
        parts = [rows[0] if rows else -1 for rows in self.order.parts]
        return [*parts, *(self.shape.parts + x for x in self.order.listeners)]

    def into_chain(self, index: int, frames: int) -> F32:
        """A copy of the newest [2, frames] that went into a chain, parts first, then listeners; fewer after a start."""
        s, done, index = self.shape, self.region.get(Head.RECORDED), self._chain_rows()[index]
        if index < 0:
            return np.zeros((SIDES, 0), np.float32)
        ring = self.region.sound("record_ring" if index < s.parts else "chain_ring")
        size = record_frames(s) if index < s.parts else chain_frames(s)
        rows = ring[index * SIDES : (index + 1) * SIDES] if index < s.parts else ring[index]
        frames = min(frames, done, size - s.rate // 4)
        sound: F32 = rows[:, np.arange(done - frames, done) % size]
        self._only_its_own(sound, index, done - frames)
        # What was written over while it was copied is not what was asked for.
        sound[:, : max(0, self.region.get(Head.RECORDED) + s.block - size - (done - frames))] = 0.0
        return sound

    def meters(self) -> tuple[F32, F32]:
        """Copies of (parts [P, S, peak and mean square], listeners [L, C, peak and mean square])."""
        outs: F32 = self.region.sound("out_meters")[list(self.order.listeners)]
        return parts_of(self.region.sound("part_meters"), self.order.parts), outs

    def readings(self) -> F32:
        """A copy of what the processors tell [P + L, MAX_SLOTS + 1, READINGS]: see `region.py`."""
        return self._of_chains("readings")

    def _of_chains(self, name: str) -> F32:
        made: F32 = self.region.sound(name)[self._chain_rows()]
        return made

    def listener_loudness(self) -> F32:
        """A copy of [L, LOUDNESS]: momentary, short-term, integrated in LUFS, true peak in dBTP, seconds."""
        told: F32 = self.region.sound("loudness")[list(self.order.listeners)]
        return told

    def chain_loudness(self) -> F32:
        """A copy of [P + L, before and after the chain] in LUFS, of the same moments; −∞ where nothing sounded."""
        return self._of_chains("chain_loudness")

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

    def rewire(self, card: Wiring) -> None:
        """What `card` was goes on as this; see `can_follow`."""
        self._wiring = msgspec.json.encode(card).decode()
        self.engine.channel.send("wiring", wiring=self._wiring)

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

    def track_rows(
        self, parts: list[tuple[str, int, int]], listeners: list[tuple[str, int, int]]
    ) -> dict[str, list[int]]:
        """Rows of the recorder's ring by track name, from (id, index, channels)."""
        rows = {}
        for id, p, channels in parts:
            pairs = self.order.parts[p]
            rows[f"parts/{id}"] = [SIDES * pairs[c // SIDES] + c % SIDES for c in range(channels)]
        base = SIDES * self.shape.parts
        for id, x, channels in listeners:
            first = base + self.order.listeners[x] * self.shape.channels
            rows[f"listeners/{id}"] = [first + c for c in range(channels)]
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
