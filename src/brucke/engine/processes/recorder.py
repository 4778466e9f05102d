"""The recorder: a process of its own that empties the shared ring into one file per track.

python -m brucke.engine.processes.recorder SHAPE FD SOCKET — started by `link.py`. Headers are rewritten every second
and made safe on the disk beside, so a kill loses at most that and a slow disk nothing. What it has kept stands in the
region: whoever watches it decides by what could still be lost. A full ring becomes counted silence and never shifts
anything. Every life in the region's log begins a new segment, with its frame and monotonic time: frames go on with
time, so what is missing between two segments is where it was. So does a recorder that takes over from one that is gone,
at the frame where all tracks of the last segment end together.
"""

import contextlib
import os
import sys
import time
from pathlib import Path

from ...core.files.run_log import begin
from ...ports.sounds.files import TrackWriter, cut_track
from ...ports.sounds.segments import Segment, read_segments, segment_file, write_segments
from .channel import Channel
from .file_sync import FileSync
from .kept_rows import KeptRows
from .lives import Why, lives
from .messages import Quit, Record, Recorded, Recording, RecordingFailed, Seal, StopRecording
from .region import MARGIN_S, Head, Region, attach, record_frames

SYNC_S = 1.0
POLL_S = 0.04
END_S = 5.0  # as long the disk is given at the end
WHY: dict[int, str] = {Why.REPLACED: "engine", Why.STOOD_STILL: "still"}


class Recorder:
    def __init__(self, region: Region, channel: Channel):
        self.region, self.channel = region, channel
        self.kept = KeptRows(region)
        self.size = record_frames(region.shape)
        self.folder = Path()
        self.rows: dict[str, list[int]] = {}
        self.writers: dict[str, TrackWriter] = {}
        self.segments: list[Segment] = []
        self.position = self.known = 0  # the next frame; entries of the log of lives that have begun by it
        self.completed = 0.0
        self.syncing = FileSync()
        self.asked = False

    def run(self) -> None:
        while not self.channel.lost:
            message = self.channel.receive()
            self._tell()
            if message is None:
                if self.writers:
                    self._go_on()
                time.sleep(POLL_S)
                continue
            match message:
                case Record():
                    self.asked = True
                    self.begin(message)
                case Seal():
                    with contextlib.suppress(Exception):  # a full disk: what is there is as whole as it can be
                        seal(Path(message.folder), message.tracks)
                    self.channel.send(Recorded(folder=message.folder))
                case StopRecording():
                    self.stop()
                case Quit():
                    break
        self.stop()
        self.syncing.end(END_S)

    def _tell(self) -> None:
        """Only once it was asked for something: one that stands by says nothing of another one's work."""
        if not self.asked:
            return
        region = self.region
        region.set(Head.KEEPING, int(bool(self.writers)))
        region.set(Head.KEPT, self.position)
        region.set(Head.SYNC_NS, self.syncing.since_ns)
        region.set(Head.KEPT_NS, time.monotonic_ns())

    def begin(self, asked: Record) -> None:
        """As `start`; what goes wrong is told and ends nothing."""
        try:
            self.start(Path(asked.folder), asked.tracks, asked.resume, asked.since)
        except Exception as e:
            self._fail(e)

    def start(self, folder: Path, tracks: dict[str, list[int]], resume: bool = False, since: int = -1) -> None:
        """`tracks`: file name without its ending, below `folder` → rows of the ring. `resume` goes on after the last
        segment there, with what the ring still holds, `since` from that frame on. Errors: OSError, soundfile's."""
        self.stop()
        self.folder, self.rows = folder, tracks
        self.segments = seal(folder, list(tracks)) if resume else []
        written = self.region.get(Head.RECORDED)
        held = max(0, written - self.size + round(MARGIN_S * self.region.shape.rate))
        self.position = written if since < 0 else max(min(since, written), held)
        if self.segments:
            self.position = max(self.segments[-1].frame + self.segments[-1].frames, held)
        begun = [life for life in lives(self.region) if life.first <= self.position]
        self.known = len(begun)
        self._begin_segment(self.region.get(Head.BEAT_NS))
        self.channel.send(Recording(folder=str(folder)))

    def _begin_segment(self, monotonic_ns: int, why: str = "") -> None:
        self._close()
        number = 1 + max((s.number for s in self.segments), default=0)
        for name, rows in self.rows.items():
            path = self.folder / segment_file(f"{name}.wav", number)
            self.writers[name] = TrackWriter(path, len(rows), self.region.shape.rate)
        self.segments.append(Segment(number=number, frame=self.position, monotonic_ns=monotonic_ns, why=why))
        write_segments(self.folder, self.segments)

    def _close(self) -> None:
        """Every writer, whatever any of them says."""
        writers, self.writers = self.writers, {}
        handles = []
        for writer in writers.values():
            try:
                writer.complete()
                handles.append(writer.another_handle())
            finally:
                writer.close()
        self.syncing.ask(handles, later=True)

    def _go_on(self) -> None:
        try:
            self.drain()
            self._complete_when_due()
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
        self.channel.send(RecordingFailed(reason=reason[:200], folder=str(self.folder)))

    def drain(self) -> None:
        """Everything that has come since, a segment for every life."""
        written = self.region.get(Head.RECORDED)
        for life in lives(self.region, self.known):
            if life.first > written:
                break  # it is being noted just now
            self._drain_to(life.ended)
            self.known += 1
            self.position = max(self.position, life.first)
            self._begin_segment(life.monotonic_ns, WHY.get(life.why, ""))
        self._drain_to(written)

    def _drain_to(self, end: int) -> None:
        while self.position < end:
            at = self.position % self.size
            count = min(end - self.position, self.size - at, self.region.shape.rate // 4)
            sounds = {name: self.kept.copy(rows, self.position, count) for name, rows in self.rows.items()}
            for name, (sound, _lost) in sounds.items():
                self.writers[name].write(sound)
            self.position += count
            self.segments[-1].frames += count
            self.segments[-1].lost_frames += max((lost for _sound, lost in sounds.values()), default=0)
            self._tell()

    def _complete_when_due(self) -> None:
        if self.syncing.failed is not None:
            failed, self.syncing.failed = self.syncing.failed, None
            raise failed
        if time.monotonic() - self.completed >= SYNC_S:
            self.completed = time.monotonic()
            for writer in self.writers.values():
                writer.complete()
            write_segments(self.folder, self.segments)
            self.syncing.ask([w.another_handle() for w in self.writers.values()])

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
        self.channel.send(Recorded(folder=str(self.folder), frames=self.segments[-1].frames))


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
    begin(os.environ.get("BRUCKE_ROLE", "recorder"))
    os.umask(0o077)  # takes hold people's sessions
    region = attach(sys.argv[1], int(sys.argv[2]))
    Recorder(region, Channel.attach(int(sys.argv[3]))).run()


if __name__ == "__main__":
    main()
