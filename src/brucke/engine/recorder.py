"""The recorder: a process of its own that empties the shared ring into one file per track.

python -m brucke.engine.recorder SHAPE FD SOCKET — started by `link.py`. Headers are rewritten and synced
every second, so a kill loses at most that. A full ring becomes counted silence and never shifts anything.
An engine that restarts begins a new segment, with its frame and monotonic time.
"""

import os
import sys
import time
from pathlib import Path

import msgspec
import numpy as np

from ..ports.files import TrackWriter
from .channel import Channel
from .region import Head, Region, attach, record_frames

SYNC_S = 1.0
POLL_S = 0.04


class Segment(msgspec.Struct, kw_only=True):
    """One stretch without a gap. `lost_frames` were written as silence."""

    number: int
    frame: int
    monotonic_ns: int
    frames: int = 0
    lost_frames: int = 0


class Recorder:
    def __init__(self, region: Region, channel: Channel):
        self.region, self.channel = region, channel
        self.ring = region.sound("record_ring")
        self.size = record_frames(region.shape)
        self.folder = Path()
        self.rows: dict[str, list[int]] = {}
        self.writers: dict[str, TrackWriter] = {}
        self.segments: list[Segment] = []
        self.position = self.generation = 0
        self.synced = 0.0

    def run(self) -> None:
        while not self.channel.lost:
            message = self.channel.receive()
            if message is None:
                if self.writers:
                    self.drain()
                    self._sync_when_due()
                time.sleep(POLL_S)
                continue
            match message["do"]:
                case "start":
                    self.start(Path(message["folder"]), message["tracks"])
                case "stop":
                    self.stop()
                case "quit":
                    break
        self.stop()

    def start(self, folder: Path, tracks: dict[str, list[int]]) -> None:
        """`tracks`: file name without its ending, below `folder` → rows of the ring."""
        self.stop()
        self.folder, self.rows, self.segments = folder, tracks, []
        self.position = self.region.get(Head.RECORDED)
        self._begin_segment()
        self.channel.send("recording", folder=str(folder))

    def _begin_segment(self) -> None:
        for writer in self.writers.values():
            writer.sync()
            writer.close()
        number = len(self.segments) + 1
        self.generation = self.region.get(Head.GENERATION)
        ending = ".wav" if number == 1 else f"-{number}.wav"
        self.writers = {
            name: TrackWriter(self.folder / f"{name}{ending}", len(rows), self.region.shape.rate)
            for name, rows in self.rows.items()
        }
        self.segments.append(Segment(number=number, frame=self.position, monotonic_ns=self.region.get(Head.BEAT_NS)))
        self._save_segments()

    def drain(self) -> None:
        """Everything that has come since."""
        if self.region.get(Head.GENERATION) != self.generation:
            self._begin_segment()
        written = self.region.get(Head.RECORDED)
        lost = written - self.position - self.size + self.region.shape.block
        if lost > 0:
            self._silence(lost)
        while self.position < written:
            at = self.position % self.size
            count = min(written - self.position, self.size - at)
            for name, rows in self.rows.items():
                self.writers[name].write(self.ring[rows, at : at + count])
            self._count(count)

    def _silence(self, frames: int) -> None:
        for name, rows in self.rows.items():
            self.writers[name].write(np.zeros((len(rows), frames), np.float32))
        self.segments[-1].lost_frames += frames
        self._count(frames)

    def _count(self, frames: int) -> None:
        self.position += frames
        self.segments[-1].frames += frames

    def _sync_when_due(self) -> None:
        if time.monotonic() - self.synced >= SYNC_S:
            self.synced = time.monotonic()
            for writer in self.writers.values():
                writer.sync()
            self._save_segments()

    def _save_segments(self) -> None:
        path = self.folder / "segments.json"
        temporary = path.with_suffix(".part")
        temporary.write_bytes(msgspec.json.encode(self.segments))
        os.replace(temporary, path)

    def stop(self) -> None:
        if not self.writers:
            return
        self.drain()
        for writer in self.writers.values():
            writer.sync()
            writer.close()
        self.writers = {}
        self._save_segments()
        self.channel.send("recorded", folder=str(self.folder), frames=self.segments[-1].frames)


def main() -> None:
    region = attach(sys.argv[1], int(sys.argv[2]))
    Recorder(region, Channel.attach(int(sys.argv[3]))).run()


if __name__ == "__main__":
    main()
