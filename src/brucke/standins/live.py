"""The simulated world in real time, in a process of its own, behind the engine's shared rings.

python -m brucke.standins.live SHAPE FD SOCKET OPTIONS — started by the window through `engine/processes/link.py`.
It keeps a little ahead of the interface's own buffers; a block it delivers too late is a dropout, as it
would be with a real device.
"""

import contextlib
import gc
import os
import sys
import time
from collections import deque
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import msgspec
import numpy as np
from msgspec.structs import replace

from ..core.document.setup import Setup, Track
from ..core.files.run_log import begin
from ..core.measure.expected_source import TrackMark
from ..core.routing.rows import Rows, rows_of
from ..core.storage.bundle import find_file
from ..core.storage.setup_file import SetupError, load
from ..engine.processes.channel import Channel
from ..engine.processes.messages import (  # fmt: skip
    Absent,
    Cable,
    CountIn,
    FarEndsGiven,
    Film,
    GiveFarEnds,
    GivePictures,
    KeepFarEnds,
    Message,
    NoisyRoom,
    OutsidePlugged,
    Pause,
    Play,
    Quit,
    Seek,
    SlowCamera,
    Softer,
    UseSetup,
    UseTrack,
)
from ..engine.processes.region import Head, Region, attach
from ..ports.sounds.beat_sounds import beat_sounds
from ..ports.sounds.file_track import FileTrack
from ..ports.sounds.files import SoundFileError
from ..ports.sounds.segments import write_track
from .camera_pipe import CameraPipe
from .lamp import film_aside
from .options import Options
from .people import People
from .room import Room
from .truth import invent
from .world import Defer, World

POLL_S = 0.0005
NOTE_S = 1.0
KNOWN_S = 300.0  # as much of a track as the people in this world know by heart


class LiveWorld:
    def __init__(
        self, region: Region, channel: Channel, world: World, defer: Defer, file: Path | None, options: Options
    ):  # fmt: skip
        self._options = options
        self._ready: deque[tuple[Setup, Rows, People]] = deque()  # made ready aside, in their order
        self.region, self.channel, self.world, self._defer = region, channel, world, defer
        self._folder: Path | None = None
        self._file = self._known = file  # the track that plays, and the one that the players know by heart
        self._noted, self._noted_at = 0, 0.0

    def begin(self) -> None:
        """From the block that the engine has come to."""
        region, world = self.region, self.world
        self._done = region.get(Head.OUT_BLOCKS)
        self._silence = np.zeros((*region.sound("out_ring").shape[:2], world.n), np.float32)
        world.frame_offset = self._done * world.n
        region.set(Head.PLAYER_LENGTH, world.player.length)
        region.set(Head.IN_BLOCKS, self._done + world.lead_blocks)
        region.set(Head.WORLD_STATE, 1)

    def turn(self) -> bool:
        """One block, where the engine has handed one out; False where nothing is to be done."""
        region, world, n = self.region, self.world, self.world.n
        ins, outs = region.sound("in_ring"), region.sound("out_ring")
        blocks, done = ins.shape[1] // n, self._done
        behind = region.get(Head.OUT_BLOCKS) - done
        if behind <= 0:
            return False
        if behind > blocks and world.leap(behind - 1):  # its sound was written over, and nobody wants the silence
            done, behind = done + behind - 1, 1
        at = done % blocks * n
        target = (done + world.lead_blocks) % blocks * n
        # What was written over before it was heard, by an engine that went on after a gap, is nobody's sound.
        heard = np.ascontiguousarray(outs[:, :, at : at + n]) if behind <= blocks else self._silence.copy()
        ins[:, target : target + n] = world.step(heard)
        self._done = done + 1
        region.set(Head.IN_BLOCKS, self._done + world.lead_blocks)
        region.set(Head.PLAYER_FRAME, world.player.position)
        region.set(Head.PLAYER_LENGTH, world.player.length)
        region.set(Head.PLAYER_TROUBLES, getattr(world.player.track, "troubles", 0))
        region.set(Head.PLAYER_STATE, int(world.player.playing))
        self._note_now_and_then()
        return True

    def run(self) -> None:
        """Until the other side closes."""
        world = self.world
        self.begin()
        while not self.channel.lost:
            message = self.channel.receive()
            if message is not None:
                if isinstance(message, Quit):
                    break
                self.act(message)
            if self._ready:
                world.adopt(*self._ready.popleft())
            if not self.turn():
                time.sleep(POLL_S)
        if self._folder is not None:  # whoever recorded is gone; what was kept of it is whole
            self._defer(world.let_go())  # after what is still waiting to be written
            self._note_track(self._folder, list(world.track_log))

    def _use(self, file: Path, track: Track) -> None:
        """Another track, or another level and loop of the same."""
        if file != self._file:
            with contextlib.suppress(OSError):  # the window has looked at it before it sent it
                self.world.player.use(FileTrack(file, self.world.rate, wait=False))
                self.world.track_known = file == self._known
                self._file = file
        self.world.set_track(track)

    def _film(self, light: Path, pictures: Path, seconds: float) -> None:
        """The first camera is turned to what is lit, for so long."""
        device = next((d for d in self.world.setup.devices if d.id in self.world.truth.cameras), None)
        if device is not None:
            camera = self.world.truth.cameras[device.id]
            film_aside(light, pictures, device.pictures_per_s, camera.transfer_s, seconds)

    def _give_pictures(self, part: str, pictures: Path) -> None:
        setup = self.world.setup
        known = next((p for p in setup.parts if p.id == part and p.kind == "picture"), None)
        if known is not None:
            self.world.cameras.look_through(part, CameraPipe(pictures, setup.device(known.device).pictures_per_s))

    def _absent(self, devices: set[str]) -> None:
        """What vanished and what came back."""
        self.world.absent = devices
        missing = self.region["missing"]
        for device in self.world.setup.devices:
            if device.id not in self.world.real:
                missing[self.world.device_row(device.id)] = device.id in devices

    def _make_ready(self, file: Path, rows: Rows) -> None:
        """Aside: what another setup has that is not there yet. What cannot be read plays nothing."""
        world, options = self.world, self._options
        try:
            setup, _ = load(file)
        except (SetupError, OSError):
            return  # another one was written over it meanwhile, and is on its way
        known = {p.id for p in world.setup.parts}
        new = replace(setup, parts=tuple(p for p in setup.parts if p.id not in known))
        try:
            sounds = beat_sounds(new, [Path(f) for f in options.folders], KNOWN_S)
        except (SoundFileError, OSError):
            sounds = {}
        self._ready.append((setup, rows, world.prepare(setup, invent(setup, options.seed, options.exact), sounds)))

    def _hand_over(self, folder: Path, complete: Callable[[], None], log: list[TrackMark]) -> None:
        complete()
        self._note_track(folder, log)
        self.channel.send(FarEndsGiven(folder=str(folder)))

    def _note_track(self, folder: Path, log: list[TrackMark]) -> None:
        """What the track did until now, beside the recording."""
        with contextlib.suppress(OSError):
            write_track(folder.parent, log)

    def _note_now_and_then(self) -> None:
        """So that a kill loses at most a second of it."""
        folder, known = self._folder, len(self.world.track_log)
        if folder is not None and known != self._noted and time.monotonic() - self._noted_at >= NOTE_S:
            self._noted, self._noted_at = known, time.monotonic()
            log = list(self.world.track_log)
            self._defer(lambda: self._note_track(folder, log))

    def act(self, message: Message) -> None:
        """What people in the world do when asked."""
        world = self.world
        match message:
            case Play():
                world.play()
            case Pause():
                world.pause()
            case Seek():
                world.seek(message.frame)
            case UseTrack():
                self._use(Path(message.file), message.track)
            case CountIn():
                world.player.set_count_in(message.beats, message.tempo_bpm)
            case UseSetup():
                file, rows = Path(message.file), message.rows
                self._defer(lambda: self._make_ready(file, rows))
            case Absent():
                self._absent(set(message.devices))
            case NoisyRoom():
                world.room = Room(world.rate, message.hum_db, message.fan_db)
            case Softer():
                world.softer_db = -message.db
            case Film():
                self._film(Path(message.light), Path(message.pictures), message.seconds)
            case GivePictures():
                self._give_pictures(message.part, Path(message.pictures))
            case OutsidePlugged():
                world.outside.plugged = message.plugged
            case SlowCamera():
                world.cameras.share = message.share
            case Cable():
                world.cable = "plugged" if message.plugged else "unplugged"
            case KeepFarEnds():
                self._folder = Path(message.folder)
                self._noted = 0
                with contextlib.suppress(OSError):  # the take says what is missing
                    world.keep_far_ends(self._folder)
            case GiveFarEnds() if self._folder is not None:
                folder, self._folder = self._folder, None
                # Now, and with the log as it is: the next recording may begin before this one's files are complete.
                complete, log = world.let_go(), list(world.track_log)
                self._defer(lambda: self._hand_over(folder, complete, log))


def aside() -> Defer:
    """Performers listen in a thread of their own, so that the sound is never late."""
    pool = ThreadPoolExecutor(1)

    def defer(work: Callable[[], None]) -> None:
        pool.submit(work)

    return defer


def _track_file(setup: Setup, folders: list[Path]) -> Path | None:
    """Where the chosen track of the part that sets the beat stands."""
    part = next((p for p in setup.parts if p.kind == "lead" and p.tracks), None)
    return find_file(part.tracks[part.track].file, folders) if part is not None else None


def main() -> None:
    begin("standins")
    os.umask(0o077)  # what the far ends hear is somebody's session
    region = attach(sys.argv[1], int(sys.argv[2]))
    options = msgspec.json.decode(sys.argv[4], type=Options)
    setup, _ = load(Path(options.setup))
    folders = [Path(f) for f in options.folders]
    file = _track_file(setup, folders)
    track = (
        FileTrack(file, setup.rate_hz) if file is not None else None
    )  # its decoder begins while the rest is made ready
    sounds = beat_sounds(setup, folders, KNOWN_S)
    defer = aside()
    if track is not None:
        track.wait_ready()
    world = World(
        setup, rows_of(setup, options.roomy), invent(setup, options.seed, options.exact), sounds, defer,
        track, frozenset(options.real),
    )  # fmt: skip
    sys.setswitchinterval(1e-4)  # whoever listens aside must not hold up the sound
    try:
        os.sched_setscheduler(0, os.SCHED_FIFO | os.SCHED_RESET_ON_FORK, os.sched_param(10))
    except OSError:
        with contextlib.suppress(OSError):
            os.nice(-10)
    gc.freeze()
    gc.set_threshold(100_000, 50, 50)
    LiveWorld(region, Channel.attach(int(sys.argv[3])), world, defer, file, options).run()


if __name__ == "__main__":
    main()
