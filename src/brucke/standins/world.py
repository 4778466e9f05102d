"""The simulated outside world, one block at a time: interface, player, performers, call, stream, camera.

Clock: absolute frames of the engine. The interface's output buffers play block m while the engine is
further on, so the world may answer `lead_blocks` blocks behind: `step(outs of block m)` gives the captures
of block m + lead_blocks. All of it is deterministic for a seed, in real time or as fast as possible.
"""

from collections.abc import Callable, Mapping
from pathlib import Path

import numpy as np
from msgspec.structs import replace

from ..core.document.setup import Device, Part, Setup, Track
from ..core.measure.expected_source import SILENT, TrackMark
from ..core.measure.sharp_sounds import clap_times
from ..core.routing.clocks import other_computers
from ..core.routing.rows import Rows
from ..core.units import db_to_gain
from ..ports.sounds.player import BackingPlayer, TrackLike
from ..ports.sounds.track import MemoryTrack
from .camera import U8, Cameras, Scene, loudness_of
from .delays import F32, DelayLine
from .outside_box import OutsideBoxes
from .patch_cable import PatchCable
from .people import People
from .performer import Performer
from .room import Room
from .services import Call, Defer, Stream
from .truth import Cable, Truth

REAL_LEAD_BLOCKS = 24
MIXER_FRAMES = 96.0  # what an interface's own direct monitoring takes


class World:
    """`sounds`: part id → sound [channels, frames] of that part exactly on the beat. `track` plays in place of
    the lead's own sound. `real` are devices that are not simulated. Devices in `absent` give and get silence; `rows`
    say where everything is in what it gives and gets."""

    def __init__(
        self, setup: Setup, rows: Rows, truth: Truth, sounds: Mapping[str, F32],
        defer: Defer | None = None, track: TrackLike | None = None, real: frozenset[str] = frozenset(),
    ):  # fmt: skip
        self.setup, self.truth, self._defer, self.absent = setup, truth, defer, set[str]()
        self._cards = real - other_computers(setup)
        self.n, self.rate = setup.block_frames, setup.rate_hz
        self._seat(rows)
        self._interface = next((d for d in setup.devices if d.kind == "interface" and d.id not in real), None)
        held = self._interface.buffer_frames * self._interface.buffers if self._interface else self.n
        self._out_blocks = max(1, held // self.n)  # that the interface's output buffers hold back
        # A real card asks for several blocks in a row; what is simulated beside it keeps further ahead.
        self.lead_blocks = REAL_LEAD_BLOCKS if self._cards else 2 * self._out_blocks - 1
        self.frame_offset = 0  # the engine's frame when this world began
        self._block = 0
        self._player_past: dict[str, F32] = {}
        self._mono = {id: np.ascontiguousarray(s.mean(axis=0), np.float32) for id, s in sounds.items()}
        lead = next((p for p in setup.parts if p.kind == "lead" and p.id in sounds), None)
        self._lead = self._mono[lead.id] if lead else np.zeros(self.rate, np.float32)
        self._leads_by = lead.device if lead else ""
        counting = next((p for p in setup.parts if p.source == "count_in"), None)
        self.player = BackingPlayer(
            track or MemoryTrack(sounds[lead.id] if lead else np.zeros((2, self.rate), np.float32)), self.rate,
            counting.count_in_beats if counting else 0, counting.tempo_bpm if counting else 100.0,
        )  # fmt: skip
        if lead is not None and lead.tracks:
            self.set_track(lead.tracks[lead.track])
        self.cable: Cable = "unplugged"
        self.direct_monitoring = False
        self.noise_db: float | None = None
        self.room: Room | None = None
        self._murmur = np.zeros(self.n, np.float32)
        self.softer_db = 0.0  # so much softer than their sound files everybody sings and plays
        self._rng = np.random.default_rng(truth.seed)
        self._performers: dict[str, Performer] = {}
        self._in_lines: dict[int, DelayLine] = {}
        self._boxes: dict[str, DelayLine] = {}
        self.outside = OutsideBoxes()
        self._calls: dict[str, Call] = {}
        self._streams: dict[str, Stream] = {}
        self.cameras = Cameras(self.rate)
        self._make_interface()
        self._settle(self._people(setup))
        self._logging = False
        self.track_log: list[TrackMark] = []  # what the track did since the far ends are kept, on the engine's frames
        self._track_now = TrackMark(0, SILENT)
        self.track_known = True  # whether what plays is what the players know

    # Building

    def _seat(self, rows: Rows) -> None:
        """Where everything is from now on."""
        self._captures = rows.captures.who
        self._device_rows = {d: i for i, d in enumerate(rows.devices.who) if d is not None}
        self._listener_rows = rows.listeners.who
        row = {x: i for i, x in enumerate(rows.listeners.who) if x is not None}
        self._row_of: dict[str, int] = {}
        for listener in self.setup.listeners:
            self._row_of.setdefault(listener.device, row[listener.id])

    def device_row(self, device: str) -> int:
        """Where it is said whether a device is there."""
        return self._device_rows[device]

    def _make_interface(self) -> None:
        device = self._interface
        if device is None:
            return
        truth = self.truth.interfaces[device.id]
        held = device.buffer_frames * device.buffers
        self._out_line = [DelayLine(held - self._out_blocks * self.n + truth.out_frames) for _ in range(2)]
        self._mixer = [DelayLine(MIXER_FRAMES + self.n) for _ in range(2)]
        self._mixed = np.zeros((2, self.n), np.float32)
        self._cable = PatchCable(self.rate)

    def _parts_of(self, device: Device) -> list[Part]:
        return [p for p in self.setup.parts if p.device == device.id]

    def _people(self, setup: Setup) -> "People":
        """Whoever plays and is looked at in a setup and is not there yet. Takes a while for somebody who knows a long
        piece, and touches nothing that runs."""
        made = People({}, {})
        places = {d.id: i for i, d in enumerate(setup.devices)}
        for part in setup.parts:
            device = setup.device(part.device)
            beside = [p.id for p in setup.parts if p.device == device.id].index(part.id)
            if part.kind == "picture" and part.shows in self._mono and part.id not in self.cameras:
                stem = self._mono[part.shows]
                made.scenes[part.id] = Scene(clap_times(stem, self.rate), loudness_of(stem, self.rate))
            here = part.kind == "follower" and self._interface is not None and device.id == self._interface.id
            far = part.kind == "far_end" and device.kind == "call"
            if (here or far) and part.id in self._mono and part.id not in self._performers:
                seed = self.truth.seed * 1000 + places[device.id] if far else self.truth.seed * 100 + beside
                made.performers[part.id] = Performer(
                    self._lead, self._mono[part.id], self.rate, self.truth.scatter_s, seed,
                    here and part.hears_itself == "monitor", self._defer,
                )  # fmt: skip
        return made

    def prepare(self, setup: Setup, truth: Truth, sounds: Mapping[str, F32]) -> "People":
        """For `adopt`; may be done aside."""
        self._mono |= {id: np.ascontiguousarray(s.mean(axis=0), np.float32) for id, s in sounds.items()}
        self.truth = replace(
            self.truth, interfaces=truth.interfaces | self.truth.interfaces,
            services=truth.services | self.truth.services, cameras=truth.cameras | self.truth.cameras,
        )  # fmt: skip
        return self._people(setup)

    def adopt(self, setup: Setup, rows: Rows, people: "People") -> None:
        """What came and went in the setup comes and goes here; everything else goes on as it is."""
        self.setup = setup
        self._seat(rows)
        self._settle(people)

    def _settle(self, people: "People") -> None:
        """Everything of the setup stands in the world, and nothing else."""
        setup, now = self.setup, self._block * self.n
        here = {p.id for p in setup.parts}
        for performer in people.performers.values():
            performer.forget(now)
        self._performers = {id: p for id, p in (self._performers | people.performers).items() if id in here}
        self._boxes |= {
            p: DelayLine(s * self.rate) for p, s in self.truth.late_s.items() if s and p not in self._boxes
        }  # fmt: skip
        self._settle_interface()
        self._settle_services(now)
        self.cameras.settle(setup, people.scenes, now)

    @property
    def real(self) -> frozenset[str]:  # devices that are not simulated
        return self._cards | other_computers(self.setup)

    def _settle_interface(self) -> None:
        device = self._interface
        if device is None:
            return
        truth = self.truth.interfaces[device.id]
        held = device.buffer_frames * device.buffers
        out_frames = held - self._out_blocks * self.n + truth.out_frames
        self.outside.settle(self.setup, device, self._listener_rows, out_frames)
        rest = held + truth.in_frames - (self.lead_blocks - self._out_blocks) * self.n
        channels = [c[1] for c in self._captures if c is not None and c[0] == device.id]
        self._in_lines = {c: self._in_lines.get(c) or DelayLine(rest) for c in channels}

    def _settle_services(self, now: int) -> None:
        calls, streams = {}, {}
        for device in self.setup.devices:
            if device.id not in self._row_of:
                continue
            if device.kind == "call":
                far = next((p.id for p in self._parts_of(device) if p.kind == "far_end"), "")
                calls[device.id] = self._calls.get(device.id) or Call(
                    device, self.truth.services[device.id], self._performers.get(far), self._defer, now
                )
            elif device.kind == "stream":
                streams[device.id] = self._streams.get(device.id) or Stream(device, self.truth.services[device.id], now)
        self._calls, self._streams = calls, streams

    # Acts of the people in it

    def play(self) -> None:
        self.player.play()
        self._jump()

    def pause(self) -> None:
        self.player.pause()
        self._jump()

    def seek(self, frame: int) -> None:
        self.player.seek(frame)
        self._jump()

    def set_track(self, track: Track) -> None:
        """Level and loop of the track that plays."""
        self.player.gain = db_to_gain(track.gain_db)
        end = round(track.loop_to_s * self.rate)
        whole = self.player.length if isinstance(self.player.track, MemoryTrack) else 0
        self.player.track.loop = (
            round(track.loop_from_s * self.rate),
            min(end, whole) if end and whole else end or whole,
        )

    def _jump(self) -> None:
        now = self._block * self.n
        for performer in self._performers.values():
            performer.forget(now)
        for call in self._calls.values():
            call.forget(now)

    def _log_track(self, due: int) -> None:
        """Where in this block, which is captured at frame `due`, the track began, stopped or went on elsewhere."""
        for at, frame in self.player.marks:
            self._track_now = TrackMark(self.frame_offset + due + at, frame if self.track_known else SILENT)
            if self._logging:
                self.track_log.append(self._track_now)

    def keep_far_ends(self, folder: Path) -> None:
        """From now on the far ends record what they get."""
        self.track_log, self._logging = [self._track_now], True
        for id, call in self._calls.items():
            call.kept.start(folder / f"{id}.wav", self.rate)
        for id, stream in self._streams.items():
            stream.start(folder / f"{id}.mkv")

    def let_go(self) -> Callable[[], None]:
        """The far ends record nothing more from now on; what completes their files, while others may have begun."""
        self._logging = False
        ends = [stream.let_go() for stream in self._streams.values()]
        ends += [call.kept.let_go() for call in self._calls.values()]

        def complete() -> None:
            for end in ends:
                end()

        return complete

    def give_back(self) -> None:
        """The files of the far ends are complete after this."""
        self.let_go()()

    def leap(self, blocks: int) -> bool:
        """So many blocks later at once, silent on the way, the song too; False while far ends record, where all that
        lies between is wanted."""
        if self._logging:
            return False
        frames = blocks * self.n
        self._block += blocks
        if self.player.playing:
            self.player.leap(frames)
        for call in self._calls.values():
            call.leap(frames)
        for stream in self._streams.values():
            stream.leap(frames)
        self._jump()
        return True

    @property
    def frame(self) -> int:
        """The engine's frame with which the next block begins."""
        return self.frame_offset + self._block * self.n

    # One block

    def step(self, outs: F32) -> F32:
        """Listeners' block m [L, C, n] in, capture channels' block m + lead_blocks out."""
        n, m = self.n, self._block
        self._block += 1
        captures: dict[tuple[str, int], F32] = {}
        due = (m + self.lead_blocks) * n
        lead = self.player.block(n)
        self._log_track(due)
        if self.player.jumped:
            self.player.jumped = False
            if self._loop_is_part:
                self._jump()
        rough = due - (self.player.position - n)
        for gone in self.absent:
            if gone in self._row_of:
                outs[self._row_of[gone]] = 0.0
        if self.room is not None:
            self._murmur = self.room.sound(n)
        self._play_interface(outs, m, rough, captures)
        for id, call in self._calls.items():
            call.hear(outs[self._row_of[id], :2], rough, self.player.playing)
            captures[(id, 0)] = call.returned.take(due, n)
        for id, stream in self._streams.items():
            stream.hear(outs[self._row_of[id], :2])
        for device in self.setup.devices:
            if device.id == self._leads_by or device.kind == "player":
                for channel, line in enumerate(self._player_line(device, lead)):
                    captures[(device.id, channel)] = line
        silence = np.zeros(n, np.float32)
        here = [silence if c is None or c[0] in self.absent else captures.get(c, silence) for c in self._captures]
        return np.stack(here)

    @property
    def _loop_is_part(self) -> bool:
        """Whether the music goes round in less than the whole track, which a player has to hear anew."""
        first, end = self.player.track.loop
        return first > 0 or 0 < end < self.player.length

    def _player_line(self, device: Device, lead: F32) -> F32:
        """What the player sends [3, n] arrives its own buffers later. A workstation's second output has no clicks."""
        past = self._player_past.get(device.id)
        if past is None:
            past = np.zeros((3, device.buffer_frames * device.buffers), np.float32)
        line = np.concatenate([past, lead], axis=1)
        self._player_past[device.id] = line[:, self.n :]
        line = line[:, : self.n]
        return line if device.kind == "player" else np.stack([line[0], line[1], line[0], line[1]])

    def _play_interface(self, outs: F32, m: int, rough: int, captures: dict[tuple[str, int], F32]) -> None:
        device = self._interface
        if device is None:
            return
        index = self._row_of.get(device.id)
        now = (m + self._out_blocks) * self.n
        ear = np.zeros((2, self.n), np.float32)
        if index is not None:
            ear = np.stack([self._out_line[c].push(outs[index, c]) for c in range(2)])
        if self.direct_monitoring:
            ear = ear + self._mixed
        heard = ear.mean(axis=0)
        hold = self.cable != "unplugged"
        inputs = {c: np.zeros(self.n, np.float32) for c in self._in_lines}
        for part in self._parts_of(device):
            sound = self._perform(part, now, heard, rough, hold)
            if part.source == "microphone":  # one, in its one socket, however many are asked for
                inputs[part.channels[0]] += sound + self._murmur
                continue
            for channel in part.channels:  # who plays in stereo is heard on both
                inputs[channel] += sound
        if hold and inputs:
            inputs[min(inputs)] += self._cable.through(ear[0], self.cable, now)
        self.outside.play(outs, inputs)
        for channel, sound in inputs.items():
            self._capture(device, channel, sound, captures)
        self._take_pictures(now)

    def _perform(self, part: Part, now: int, heard: F32, rough: int, hold: bool) -> F32:
        """What a part gives to its inputs in this block."""
        performer = self._performers.get(part.id)
        if performer is None:
            return np.zeros(self.n, np.float32)
        performer.hear(now, heard, rough)
        sound = np.zeros(self.n, np.float32)
        if self.player.playing and not hold:
            sound = performer.play(now, self.n) * np.float32(10 ** (self.softer_db / 20))
        return self._boxes[part.id].push(sound) if part.id in self._boxes else sound

    def _capture(self, device: Device, channel: int, sound: F32, captures: dict[tuple[str, int], F32]) -> None:
        """One input, whoever stands at it: once a block through its converter."""
        truth = self.truth.interfaces[device.id]
        level = truth.noise_db if self.noise_db is None else self.noise_db
        noise = (self._rng.standard_normal(self.n) * 10 ** (level / 20)).astype(np.float32)
        taken = np.clip(self._in_lines[channel].push(sound + noise), -1, 1).astype(np.float32)
        captures[(device.id, channel)] = taken
        if channel == min(self._in_lines):
            self._mixed = np.stack([line.push(taken) for line in self._mixer])

    def _take_pictures(self, now: int) -> None:
        """Every camera at its own pace."""
        for part, device, scene, at in self.cameras.take(now, self.n):
            if not self.cameras.looked_at(part.id) and not any(s.keeping for s in self._streams.values()):
                continue
            performer = self._performers.get(part.shows) if self.player.playing else None
            pose = performer.pose(int(at)) if performer is not None else None
            where = (pose % len(performer.stem)) / self.rate if performer is not None and pose is not None else None
            picture, transfer = scene.draw(where), self.truth.cameras[device.id].transfer_s
            self._show(part, int(at + transfer * self.rate), picture)
            # `now` is heard so much later than this block was handed out.
            self.cameras.give(part.id, (at - now + self._out_blocks * self.n) / self.rate + transfer, picture)

    def _show(self, part: Part, at: int, picture: U8) -> None:
        """A picture that is there at frame `at` to every stream that its camera is routed to."""
        for id, stream in self._streams.items():
            listener = next(x.id for x in self.setup.listeners if x.device == id)
            route = self.setup.route(part.id, listener)
            if route is not None and route.on:
                stream.see(at, picture)
