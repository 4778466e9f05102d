"""The picture: a process of its own that reads one camera, says what comes, and keeps it beside a take's sound.

python -m brucke.engine.processes.picture SHAPE FD SOCKET SOURCE — started by whoever records. `SOURCE` is a camera's
device, or a pipe that carries pictures.

A kept file is Matroska with H.264, for pictures that come when they come: each stands where it was there in frames of
the recorder's ring, the first at the frame that the file's name says (`camera_file`). Clusters of a second are written
as they are complete, so a kill loses at most that. What cannot be coded in time is left out and counted; sound never
waits for it.
"""

import contextlib
import os
import sys
import threading
import time
from collections import deque
from fractions import Fraction
from pathlib import Path
from typing import Any

from ...core.files.run_log import begin
from ...ports.devices.cameras import CameraError, pictures
from .channel import Channel
from .messages import KeepPictures, LetGoOfPictures, PicturesFailed, PicturesKept, PicturesSeen, Quit
from .region import Head, Region, attach

POLL_S = 0.004
TELL_S = 0.1
WAITING = 45  # pictures that may wait to be coded
WITHIN_S = 1.0
CLOCK_S = 2.0  # the engine's beats of so long say how its frames go with time
ASKED = {"video_size": "1280x720", "framerate": "30", "input_format": "mjpeg"}
CODED = {"preset": "ultrafast", "tune": "zerolatency", "crf": "21", "g": "30"}
WRITTEN = {"cluster_time_limit": "1000", "flush_packets": "1"}
MS = Fraction(1, 1000)


def camera_file(frame: int) -> str:
    """The name of a file whose first picture was there at this frame of the recorder's ring."""
    return f"camera {frame:015d}.mkv"


class FrameClock:
    """Which frame of the recorder's ring is now. The engine is seen when it has done a block: the earliest it was, in
    the last two seconds, is closest to when it could."""

    def __init__(self, region: Region):
        self.region = region
        self._seen: deque[tuple[float, float]] = deque()

    def look(self) -> None:
        region, shape = self.region, self.region.shape
        beat, recorded = region.get(Head.BEAT_NS), region.get(Head.RECORDED)
        if not beat or region.get(Head.BEAT_NS) != beat:
            return
        at = beat * 1e-9
        if not self._seen or at != self._seen[-1][0]:
            self._seen.append((at, (recorded - shape.block) / shape.rate - at))
        while self._seen[-1][0] - self._seen[0][0] > CLOCK_S:
            self._seen.popleft()

    def frame(self, monotonic_s: float) -> int | None:
        """None before anything was seen."""
        if not self._seen:
            return None
        return round((monotonic_s + max(ahead for _at, ahead in self._seen)) * self.region.shape.rate)


class CameraReader:
    """Reads in a thread of its own: a camera may give nothing for ever."""

    def __init__(self, source: Path):
        self.waiting: deque[tuple[float, Any]] = deque()
        self.count = self.lost = 0
        self.newest = 0.0
        self.size = (0, 0)
        self.recent: deque[float] = deque()
        self.failed = ""
        self.keeps = False
        threading.Thread(target=self._read, args=(source,), daemon=True).start()

    def _read(self, source: Path) -> None:
        try:
            for at, picture in pictures(source, ASKED):
                self.count, self.newest, self.size = self.count + 1, at, (picture.width, picture.height)
                self.recent.append(at)
                if not self.keeps:
                    continue
                if len(self.waiting) < WAITING:
                    self.waiting.append((at, picture))
                else:
                    self.lost += 1
            self.failed = "it gives no pictures any more"
        except CameraError as e:
            self.failed = str(e)

    def within(self, now: float) -> int:
        """How many came in the last second."""
        while self.recent and now - self.recent[0] > WITHIN_S:
            self.recent.popleft()
        return len(self.recent)


class PictureFile:
    """One file, begun with its first picture."""

    def __init__(self, folder: Path, first_frame: int, rate: int, size: tuple[int, int]):
        import av

        folder.mkdir(parents=True, exist_ok=True, mode=0o700)
        self.first, self.rate, self.size = first_frame, rate, (size[0] // 2 * 2, size[1] // 2 * 2)
        self.pictures, self._last = 0, -1
        path = folder / camera_file(first_frame)
        self._out = av.open(str(path), "w", format="matroska", container_options=WRITTEN)
        self._stream = self._out.add_stream("libx264", rate=30, options=CODED)
        self._stream.width, self._stream.height, self._stream.pix_fmt = *self.size, "yuv420p"
        self._stream.time_base = self._stream.codec_context.time_base = MS

    def add(self, frame: int, picture: Any) -> None:
        """Two within one millisecond are one."""
        ms = round(1000 * (frame - self.first) / self.rate)
        if ms <= self._last:
            return
        self._last = ms
        fit = picture.reformat(*self.size, "yuv420p")
        fit.pts, fit.time_base, fit.pict_type = ms, MS, 0
        self._out.mux(self._stream.encode(fit))
        self.pictures += 1

    def complete(self) -> None:
        try:
            self._out.mux(self._stream.encode(None))
        finally:
            self._out.close()


class PictureRecorder:
    def __init__(self, region: Region, channel: Channel, source: Path):
        self.region, self.channel = region, channel
        self.reader, self.clock = CameraReader(source), FrameClock(region)
        self.folder: Path | None = None
        self.file: PictureFile | None = None
        self._told = 0.0

    def run(self) -> None:
        while not self.channel.lost:
            match self.channel.receive():
                case KeepPictures(folder=folder):
                    self._let_go()
                    self.folder, self.reader.keeps = Path(folder), True
                case LetGoOfPictures():
                    self._let_go()
                case Quit():
                    break
            self.clock.look()
            self._keep()
            self._tell(time.monotonic())
            if self.reader.failed and not self.reader.waiting:
                self._let_go()
                self.channel.send(PicturesFailed(reason=self.reader.failed[:200], ends=True))
                return
            time.sleep(POLL_S)
        self._let_go()

    def _keep(self) -> None:
        """Those that wait; what goes wrong with the file is told, and the camera goes on."""
        while self.folder is not None and self.reader.waiting:
            at, picture = self.reader.waiting.popleft()
            frame = self.clock.frame(at)
            if frame is None:
                continue
            try:
                if self.file is None:
                    self.file = PictureFile(self.folder, frame, self.region.shape.rate, self.reader.size)
                self.file.add(frame, picture)
            except Exception as e:
                reason = (getattr(e, "strerror", None) or str(e) or type(e).__name__).lower()
                self._close()
                self.folder, self.reader.keeps = None, False
                self.channel.send(PicturesFailed(reason=reason[:200], ends=False))

    def _close(self) -> int:
        file, self.file = self.file, None
        if file is not None:
            with contextlib.suppress(Exception):  # a full disk: what is there is as whole as it can be
                file.complete()
        return file.pictures if file is not None else 0

    def _let_go(self) -> None:
        if self.folder is None:
            return
        self.reader.keeps = False
        self._keep()
        folder, self.folder = self.folder, None
        self.reader.waiting.clear()
        self.channel.send(PicturesKept(folder=str(folder), pictures=self._close()))

    def _tell(self, now: float) -> None:
        reader = self.reader
        if now - self._told < TELL_S or not reader.count:
            return
        self._told = now
        seen = PicturesSeen(
            pictures=reader.count, newest_ns=round(reader.newest * 1e9), within_s=reader.within(now), lost=reader.lost,
            wide=reader.size[0], high=reader.size[1], keeps=self.file is not None,
        )  # fmt: skip
        self.channel.send(seen)


def main() -> None:
    begin(os.environ.get("BRUCKE_ROLE", "picture"))
    os.umask(0o077)  # takes hold people's sessions
    with contextlib.suppress(OSError):
        os.nice(5)  # sound first
    region, channel = attach(sys.argv[1], int(sys.argv[2])), Channel.attach(int(sys.argv[3]))
    PictureRecorder(region, channel, Path(sys.argv[4])).run()
    os._exit(0)  # the thread that reads may hang in a driver for ever


if __name__ == "__main__":
    main()
