"""A square that flashes, and a camera that looks at it: what the camera takes. With a beep in the headphones for
whoever films it with something else."""

import contextlib
import os
import random
import tempfile
import time
from pathlib import Path

import numpy as np
from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from ...core.knowledge.quantities import CAMERA
from ...core.measure.video_features import VideoFeatures
from ...core.timing.make_evidence import SeenOffset, camera_measurement
from ...engine.processes.messages import Film
from ...ports.devices.cameras import Camera, cameras
from ...words.timing import device_name, ms_text
from ...words.translation import _
from ..jobs.subprocess_job import SubprocessJob
from ..jobs.temporary_folders import temporary_folder
from ..studio import Studio

COUNT, LIT_S = 8, 0.12
APART_S = (0.6, 1.1)  # never more than two begin within a second: WCAG 2.3.1 allows three
BEFORE_S = 0.8
LATEST_S = 1.0  # so much later than lit a camera may show it
SCREEN_S = 1 / 120  # how late a screen of 60 pictures a second lights it, on average, and by how much that may be wrong
STAND_IN = Path("a camera of the stand-ins")
BEEP_HZ, BEEP_S = 1000.0, 0.08


class CameraCheck(QObject):
    """`state`: “”, “opening”, “flashing”, “found”, “nothing”, “failed”, “shown” (nobody looked). `lit` is asked of the
    window, which tells `was_lit` once it is."""

    changed = pyqtSignal()
    lit = pyqtSignal(bool)

    def __init__(self, studio: Studio):
        super().__init__()
        self.session, self.playback = studio.session, studio.playback
        self.state, self.source = "", Path()
        self.offset_s = self.plus_minus_s = 0.0
        self.flashes = 0
        self._events: list[float] = []
        self.lit_at: list[float] = []
        self._light: Path | None = None
        self._pipes = 0
        self._began = 0.0
        self._folder: tempfile.TemporaryDirectory[str] | None = None
        self._run = SubprocessJob()
        self._run.changed.connect(self._seen_first)
        self._run.ended.connect(self._ended)
        self._timer = QTimer(self)
        self._timer.setTimerType(self._timer.timerType().PreciseTimer)
        self._timer.timeout.connect(self._step)

    @property
    def camera(self) -> str:
        """The camera of the setup whose place it would take; empty where there is none."""
        return next((ids[0] for ids in CAMERA.subjects(self.session.setup)), "")

    @property
    def busy(self) -> bool:
        return self.state in ("opening", "flashing")

    @property
    def said(self) -> str:
        """Why it failed."""
        return self._run.said

    def offered(self) -> list[Camera]:
        """Those of this computer; where there is none, that of the stand-ins while they run."""
        real = cameras()
        link = self.playback.running.link
        if not real and link is not None and self.playback.running.state == "running" and self.camera:
            return [Camera(STAND_IN, "Camera (stand-in)")]
        return real

    def begin(self, source: Path | None) -> None:
        """Flash for `source`, or for whoever films it."""
        if self.busy:
            return
        rng = random.Random()
        self._events = [BEFORE_S]
        while len(self._events) < COUNT:
            self._events.append(self._events[-1] + rng.uniform(*APART_S))
        self.lit_at, self.flashes = [], 0
        self.source = source or Path()
        seconds = self._events[-1] + LATEST_S + 1.0
        if source is None:
            self._flash()
            return
        self._set("opening")
        try:
            opened = self._stand_in(seconds) if source == STAND_IN else source
        except OSError as e:
            self._run.said = _("the camera of the stand-ins could not be set up ({what})").format(
                what=(e.strerror or str(e)).lower()
            )
            self._set("failed")
            return
        self._run.start(["watch-camera", str(opened), "--seconds", f"{seconds:.1f}"])

    def _stand_in(self, seconds: float) -> Path:
        """Its pictures; it is told where to look, and for how long. Errors: OSError."""
        if self._folder is None:
            self._folder = temporary_folder("light")
        folder = Path(self._folder.name)
        self._light = folder / "light"
        self._light.write_text("")
        self._pipes += 1  # who still waits at an old one never writes into the new
        pipe = folder / f"pictures-{self._pipes}"
        os.mkfifo(pipe, 0o600)
        link = self.playback.running.link
        if link is not None:
            link.tell_world(Film(light=str(self._light), pictures=str(pipe), seconds=seconds + 2.0))
        return pipe

    def stop(self) -> None:
        if self.busy:
            self._timer.stop()
            self.lit.emit(False)
            self._run.close()
            self.playback.stop()
            self._set("")

    def close(self) -> None:
        self._timer.stop()
        self._run.close()
        if self._folder is not None:
            self._folder.cleanup()

    def _set(self, state: str) -> None:
        self.state = state
        self.changed.emit()

    # Flashing

    def _seen_first(self) -> None:
        if self.state == "opening" and self._run.busy and self._run.seen:
            self._flash()

    def _flash(self) -> None:
        rate = self.session.setup.rate_hz
        sounds = self.playback.may and not self.playback.heard and self.playback.hear(beeps(self._events, rate))
        self._began = 0.0 if sounds else time.monotonic()
        self._set("flashing")
        self._timer.start(2)

    def _step(self) -> None:
        """Every two milliseconds while it flashes."""
        now = time.monotonic()
        if self._began == 0.0:
            frame = self.playback.running.back_frame
            if frame <= 0:
                return
            # With the beep: it leaves the headphones as much later as they take.
            self._began = now - frame / self.session.setup.rate_hz + self._headphones_s
        at = now - self._began
        # Where a busy computer was late with one, the next waits too: never more than the warning says.
        rested = not self.lit_at or now - self.lit_at[-1] >= APART_S[0] - LIT_S / 2
        if self.flashes < COUNT and at >= self._events[self.flashes] and rested:
            self.flashes += 1
            self.lit.emit(True)
            self.changed.emit()
        elif self.lit_at and now >= self.lit_at[-1] + LIT_S:
            self.lit.emit(False)
        if self.flashes == COUNT and now > self.lit_at[-1] + 2 * LIT_S:
            self._timer.stop()
            self.lit.emit(False)
            if self.source == Path():
                self._set("shown")

    @property
    def _headphones_s(self) -> float:
        """What the first headphones take."""
        setup = self.session.setup
        monitor = next((x for x in setup.listeners if x.kind == "monitor"), None)
        if monitor is None:
            return 0.0
        routes = self.session.timing.of(monitor.id).routes
        return next((s.latency.value for r in routes for s in r.stages if s.code == "output"), 0.0)

    def was_lit(self, on: bool) -> None:
        """The window has painted it."""
        now = time.monotonic()
        if on:
            self.lit_at.append(now)
        if self._light is not None:
            self._note(f"{now:.6f} {int(on)}\n")

    def _note(self, change: str) -> None:
        """Where it cannot be noted the stand-in sees nothing, and that is said."""
        assert self._light is not None
        with contextlib.suppress(OSError), self._light.open("a") as log:
            log.write(change)

    # What was seen

    def _ended(self, done: bool) -> None:
        self._timer.stop()
        self.lit.emit(False)
        if not done:
            self._set("failed")
            return
        from ...core.measure.flashes import HEARD_S, flash_offset
        from ...core.measure.frame_timing import due

        result = self._run.result
        light = np.array(result["light"], np.float32)
        times, known_s = due(np.array(result["times_s"]))
        moved = np.abs(np.diff(light, axis=0, prepend=light[:1]))
        none = np.zeros((0, 1, 1), np.uint8)
        seen = VideoFeatures(times, light, moved, none, np.zeros(0, np.int64), (16, 9), int(result["columns"]))
        found = flash_offset(seen, np.array(self.lit_at), LATEST_S, max(HEARD_S, known_s), exposed=False)
        if found is None or found.events < COUNT // 2:
            self._set("nothing")
            return
        # The picture was painted, and then the screen lit it: that much is the screen's.
        self.offset_s, self.plus_minus_s = found.seconds - SCREEN_S, float(np.hypot(found.plus_minus_s, SCREEN_S))
        self.flashes = found.events
        self._set("found")

    def keep(self) -> bool:
        """As what the setup's camera takes."""
        camera, session = self.camera, self.session
        if self.state != "found" or not camera:
            return False
        seen = SeenOffset(max(0.0, self.offset_s), self.plus_minus_s, "flashes", self.flashes)
        session.learn(session.knowledge.with_measurement(camera_measurement(session.setup, camera, seen)))
        session.noticed.emit(f"{device_name(session.setup, camera)}: {ms_text(self.offset_s)}, measured.", "water")
        return True


def beeps(events_s: list[float], rate_hz: int) -> "np.ndarray[tuple[int, int], np.dtype[np.float32]]":
    """[2, frames] with a beep at every moment."""
    sound = np.zeros(round((events_s[-1] + 1.0) * rate_hz), np.float32)
    t = np.arange(round(BEEP_S * rate_hz)) / rate_hz
    beep = (0.2 * np.sin(2 * np.pi * BEEP_HZ * t) * np.minimum(1, np.minimum(t, BEEP_S - t) / 0.001)).astype(np.float32)
    for e in events_s:
        at = round(e * rate_hz)
        sound[at : at + len(beep)] = beep
    return np.stack([sound, sound])
