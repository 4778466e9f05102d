"""The recorder: a process of its own that empties the shared ring into one file per track.

python -m brucke.engine.processes.recorder SHAPE FD SOCKET — started by `link.py`. Headers are rewritten and synced
every second, so a kill loses at most that. A full ring becomes counted silence and never shifts anything.
An engine that restarts begins a new segment, with its frame and monotonic time; so does a recorder that takes
over from one that is gone, at the frame where all tracks of the last segment end together.
"""

import contextlib
import os
import sys
import time
from pathlib import Path

from ...ports.sounds.files import F32, TrackWriter, cut_track
from ...ports.sounds.segments import Segment, read_segments, segment_file, write_segments
from .channel import Channel
from .region import Head, Region, attach, record_frames

SYNC_S = 1.0
POLL_S = 0.04
MARGIN_S = 0.5  # so much of the ring's oldest may be written over before it is read


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
                    self._go_on()
                time.sleep(POLL_S)
                continue
            match message["do"]:
                case "start":
                    self.begin(Path(message["folder"]), message["tracks"], bool(message.get("resume")))
                case "seal":
                    with contextlib.suppress(Exception):  # a full disk: what is there is as whole as it can be
                        seal(Path(message["folder"]), list(message["tracks"]))
                    self.channel.send("recorded", folder=message["folder"])
                case "stop":
                    self.stop()
                case "quit":
                    break
        self.stop()

    def begin(self, folder: Path, tracks: dict[str, list[int]], resume: bool) -> None:
        """As `start`; what goes wrong is told and ends nothing."""
        try:
            self.start(folder, tracks, resume)
        except Exception as e:
            self._fail(e)

    def start(self, folder: Path, tracks: dict[str, list[int]], resume: bool = False) -> None:
        """`tracks`: file name without its ending, below `folder` → rows of the ring. `resume` goes on after the last
        segment there, with what the ring still holds. Errors: OSError, soundfile's."""
        self.stop()
        self.folder, self.rows = folder, tracks
        self.segments = seal(folder, list(tracks)) if resume else []
        written = self.region.get(Head.RECORDED)
        self.position = written
        if self.segments:
            held = written - self.size + round(MARGIN_S * self.region.shape.rate)
            self.position = max(self.segments[-1].frame + self.segments[-1].frames, held, 0)
        self._begin_segment()
        self.channel.send("recording", folder=str(folder))

    def _begin_segment(self) -> None:
        self._close()
        number = 1 + max((s.number for s in self.segments), default=0)
        self.generation = self.region.get(Head.GENERATION)
        for name, rows in self.rows.items():
            path = self.folder / segment_file(f"{name}.wav", number)
            self.writers[name] = TrackWriter(path, len(rows), self.region.shape.rate)
        self.segments.append(Segment(number=number, frame=self.position, monotonic_ns=self.region.get(Head.BEAT_NS)))
        write_segments(self.folder, self.segments)

    def _close(self) -> None:
        """Every writer, whatever any of them says."""
        writers, self.writers = self.writers, {}
        for writer in writers.values():
            try:
                writer.sync()
            finally:
                writer.close()

    def _go_on(self) -> None:
        try:
            self.drain()
            self._sync_when_due()
        except Exception as e:
            self._fail(e)

    def _fail(self, e: Exception) -> None:
        """A full disk, a folder that is gone: what is written is closed whole, and the window hears why."""
        reason = (getattr(e, "strerror", None) or str(e) or type(e).__name__).lower()
        for writer in self.writers.values():
            try:
                writer.close()
            except Exception:
                continue
        self.writers = {}
        self.channel.send("failed", reason=reason[:200], folder=str(self.folder))

    def drain(self) -> None:
        """Everything that has come since."""
        if self.region.get(Head.GENERATION) != self.generation:
            self._begin_segment()
        written = self.region.get(Head.RECORDED)
        while self.position < written:
            at = self.position % self.size
            count = min(written - self.position, self.size - at, self.region.shape.rate // 4)
            sounds = {name: self.ring[rows, at : at + count] for name, rows in self.rows.items()}
            self._write(sounds, count)

    def _write(self, sounds: dict[str, F32], count: int) -> None:
        """A copy of the ring, where what was written over while it was copied is silent and counted."""
        # The engine is at most one block further than it has said.
        oldest = self.region.get(Head.RECORDED) + self.region.shape.block - self.size
        lost = min(count, max(0, oldest - self.position))
        for name, sound in sounds.items():
            sound[:, :lost] = 0.0
            self.writers[name].write(sound)
        self.position += count
        self.segments[-1].frames += count
        self.segments[-1].lost_frames += lost

    def _sync_when_due(self) -> None:
        if time.monotonic() - self.synced >= SYNC_S:
            self.synced = time.monotonic()
            for writer in self.writers.values():
                writer.sync()
            write_segments(self.folder, self.segments)

    def stop(self) -> None:
        if not self.writers:
            return
        try:
            self.drain()
            self._close()
            write_segments(self.folder, self.segments)
        except Exception as e:
            self._fail(e)
            return
        self.channel.send("recorded", folder=str(self.folder), frames=self.segments[-1].frames)


def seal(folder: Path, tracks: list[str]) -> list[Segment]:
    """The segments of a recording whose recorder is gone: the last one is cut to the frame that all its tracks have.

    Errors: OSError, soundfile's."""
    segments = read_segments(folder)
    if not segments:
        return []
    last = segments[-1]
    paths = [folder / segment_file(f"{name}.wav", last.number) for name in tracks]
    last.frames = cut_track([p for p in paths if p.is_file()])
    write_segments(folder, segments)
    return segments


def main() -> None:
    os.umask(0o077)  # takes hold people's sessions
    region = attach(sys.argv[1], int(sys.argv[2]))
    Recorder(region, Channel.attach(int(sys.argv[3]))).run()


if __name__ == "__main__":
    main()
