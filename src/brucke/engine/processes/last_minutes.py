"""The last minutes of what the engine gives, in memory only: a process of its own, which is there while somebody wants
that.

python -m brucke.engine.processes.last_minutes SHAPE FD SOCKET — started by whoever remembers. Nothing of it is on a
disk before it is kept; when the process ends it is gone. What is kept has the files of a recording, see `recorder.py`.
"""

import os
import resource
import sys
import time
from collections.abc import Iterator
from pathlib import Path

import numpy as np

from ...core.files.run_log import begin
from ...ports.sounds.files import F32, TrackWriter
from ...ports.sounds.segments import Segment, segment_file, write_segments
from .channel import Channel
from .kept_rows import KeptRows
from .lives import lives
from .messages import KeepRemembered, Quit, Remember, Remembered, RememberedFailed, RememberedKept
from .region import Head, Region, attach, record_frames

POLL_S = 0.05


class LastMinutes:
    """A ring of `frames` frames of the rows of `tracks`; `begin` is the first frame that is there, `position` the one
    after the last."""

    def __init__(self, region: Region, tracks: dict[str, list[int]], frames: int):
        self._region, self._rows = region, KeptRows(region)
        self.tracks = tracks
        self.frames = frames
        self._sound: F32 = np.zeros((sum(len(rows) for rows in tracks.values()), frames), np.float32)
        self.first = self.position = region.get(Head.RECORDED)
        self._lost: list[tuple[int, int]] = []  # (frame, how many after it were written over before they were read)

    @property
    def begin(self) -> int:
        return max(self.first, self.position - self._sound.shape[1])

    def follow(self) -> None:
        """What came since."""
        written, size = self._region.get(Head.RECORDED), record_frames(self._region.shape)
        while self.position < written:
            at, there = self.position % size, self.position % self._sound.shape[1]
            count = min(written - self.position, size - at, self._sound.shape[1] - there, self._region.shape.rate // 4)
            row = lost = 0
            for rows in self.tracks.values():
                sound, lost = self._rows.copy(rows, self.position, count)
                self._sound[row : row + len(rows), there : there + count] = sound
                row += len(rows)
            if lost:
                self._lost = [*self._lost[-99:], (self.position, lost)]
            self.position += count

    def written(self, folder: Path) -> Iterator[int]:
        """Files of all that is there now; after each second of sound, how many frames stand in them. Errors: OSError,
        soundfile's."""
        rate, first, end = self._region.shape.rate, self.begin, self.position
        ago = (self._region.get(Head.RECORDED) - first) / rate
        begun_ns = self._region.get(Head.BEAT_NS) - round(ago * 1e9)
        writers = {
            name: TrackWriter(folder / segment_file(f"{name}.wav", 1), len(rows), rate)
            for name, rows in self.tracks.items()
        }
        try:
            for at in range(first, end, rate):
                places = np.arange(at, min(at + rate, end)) % self._sound.shape[1]
                row = 0
                for name, rows in self.tracks.items():
                    writers[name].write(np.ascontiguousarray(self._sound[row : row + len(rows)][:, places]))
                    row += len(rows)
                yield min(at + rate, end) - first
        finally:
            for writer in writers.values():
                writer.close()
        lost = sum(count for at, count in self._lost if at >= first)
        lost += sum(life.gap for life in lives(self._region) if first < life.first <= end)
        whole = Segment(number=1, frame=first, monotonic_ns=begun_ns, frames=end - first, lost_frames=lost)
        write_segments(folder, [whole])


class Remembering:
    """Follows, and keeps when it is asked; meanwhile it begins anew, and goes back where keeping failed."""

    def __init__(self, region: Region, channel: Channel):
        self.region, self.channel = region, channel
        self.last: LastMinutes | None = None
        self._kept: LastMinutes | None = None
        self._folder = Path()
        self._writing: Iterator[int] = iter(())

    def run(self) -> None:
        while not self.channel.lost:
            match self.channel.receive():
                case Remember() as asked:
                    self.last = None
                    if asked.tracks:
                        self._begin(asked.tracks, asked.frames)
                case KeepRemembered() as asked:
                    self.keep(Path(asked.folder))
                case Quit():
                    break
            if self.last is not None:
                self.last.follow()
            if not self.write_on():
                time.sleep(POLL_S)

    def _begin(self, tracks: dict[str, list[int]], frames: int) -> None:
        self.last = LastMinutes(self.region, tracks, frames)
        self.channel.send(Remembered(first=self.last.first))

    def keep(self, folder: Path) -> None:
        """What is there by now goes to `folder`, a second of it with every turn."""
        if self.last is None or self._kept is not None:
            return
        self.last.follow()
        kept, self._folder = self.last, folder
        self._kept, self._writing = kept, kept.written(folder)
        self._begin(kept.tracks, kept.frames)

    def write_on(self) -> bool:
        """Whether something is still being written."""
        kept = self._kept
        if kept is None:
            return False
        try:
            next(self._writing)
        except StopIteration:
            self._kept = None
            self.channel.send(RememberedKept(folder=str(self._folder), frames=kept.position - kept.begin))
        except Exception as e:
            self._kept = None
            if self.last is not None:
                self.last = kept
                self.channel.send(Remembered(first=kept.first))
            reason = (getattr(e, "strerror", None) or str(e) or type(e).__name__).lower()
            self.channel.send(RememberedFailed(folder=str(self._folder), reason=reason[:200]))
        return True


def main() -> None:
    begin(os.environ.get("BRUCKE_ROLE", "last minutes"))
    os.umask(0o077)
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))  # what is in memory only stays out of crash dumps, too
    region = attach(sys.argv[1], int(sys.argv[2]))
    Remembering(region, Channel.attach(int(sys.argv[3]))).run()


if __name__ == "__main__":
    main()
