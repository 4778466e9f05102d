"""The recorder as the window sees it: recording only while files grow on disk, and going on when something is lost.

A recorder that dies, hangs or cannot write is replaced within a second; the new one goes on in another segment from
what the ring still holds. Where the folder takes nothing any more, another folder goes on.
"""

import os
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

from ..engine.processes.link import EngineLink
from ..engine.processes.region import Head
from ..ports.sounds.segments import read_segments, segment_file

STILL_S = 0.9  # nothing on disk for so long while the engine gives sound: something is lost
COMING_S = 3.0  # a recorder that has just been started
LOOK_S = 0.1
TRIES = 3  # in one folder within AGAIN_S, then another
AGAIN_S = 10.0


def own_folder(home: Path, name: str) -> Path:
    """A new folder in `home` that was not there, for its owner alone. Errors: OSError."""
    home.mkdir(parents=True, exist_ok=True, mode=0o700)
    for i in range(1, 1000):
        folder = home / (name if i == 1 else f"{name} {i}")
        try:
            folder.mkdir(mode=0o700)
        except FileExistsError:
            continue
        return folder
    raise OSError(f"{home}: too many folders named {name}")


def can_write(folder: Path) -> str:
    """Why nothing can be written there, empty where something can."""
    try:
        if not folder.is_dir():
            return "the folder is gone"
        handle, name = tempfile.mkstemp(dir=folder, prefix=".try.")
        try:
            os.write(handle, b"\0" * 4096)
        finally:
            os.close(handle)
            os.unlink(name)
    except OSError as e:
        return (e.strerror or str(e)).lower()
    return ""


class RecorderWatch:
    """`state`: idle, starting, recording, waiting (the engine gives nothing), lost (nothing is being written), sealing,
    done. `frames` is what the segments hold, `missing` what is not there that should be."""

    def __init__(self, say: Callable[[str, str], None], elsewhere: Callable[[], Path | None]):
        self._say, self._elsewhere = say, elsewhere
        self.state = "idle"
        self.folder = Path()
        self.moved_to: Path | None = None  # where it goes on, once this folder takes nothing any more
        self.tracks: dict[str, list[int]] = {}
        self.missing: list[str] = []
        self._paths: list[Path] = []
        self._size = -1
        self._grew = self._looked = self._asked = 0.0
        self._engine_frame = 0
        self._troubles: list[float] = []

    @property
    def running(self) -> bool:
        return self.state in ("starting", "recording", "waiting", "lost")

    def start(self, link: EngineLink, folder: Path, tracks: dict[str, list[int]]) -> None:
        self.folder, self.tracks, self.missing, self.moved_to = folder, tracks, [], None
        self._troubles = []
        self._begin(link, resume=False)
        self.state = "starting"

    def go_on_with(self, link: EngineLink, tracks: dict[str, list[int]]) -> None:
        """Other tracks from now on: a new segment without a gap."""
        self.tracks = tracks
        self._begin(link, resume=True)

    def _begin(self, link: EngineLink, resume: bool) -> None:
        link.record(str(self.folder), self.tracks, resume)
        self._grew, self._size = time.monotonic(), -1
        self._engine_frame = link.get(Head.RECORDED)

    def stop(self, link: EngineLink | None) -> None:
        """Ask for the end; `tick` says when it is there."""
        if link is not None:
            link.stop_recording()
        self.state, self._asked = "sealing", time.monotonic()

    def tick(self, link: EngineLink | None) -> None:
        """Once a frame: messages of the recorder, and whether its files grow."""
        if self.state in ("idle", "done"):
            return
        if link is None:
            self.state = "done"
            return
        failed = self._messages(link)
        now = time.monotonic()
        if self.state == "sealing":
            self._finish(link, failed, now)
        elif self.running and (failed or not link.recorder.alive):
            self._trouble(link, failed or "the recorder stopped")
        elif self.running and now - self._looked >= LOOK_S:
            self._looked = now
            self._look(link, now)

    def _messages(self, link: EngineLink) -> str:
        """Why the recorder failed, where it says so."""
        while (message := link.recorder.channel.receive()) is not None:
            if message["do"] == "failed":
                return str(message["reason"])
            if message["do"] == "recorded" and self.state == "sealing":
                self.state = "done"
        return ""

    def _look(self, link: EngineLink, now: float) -> None:
        size = self._on_disk()
        frame = link.get(Head.RECORDED)
        if size > self._size >= 0:
            self._grew, self._engine_frame = now, frame
            self.state = "recording"
        elif frame == self._engine_frame:
            self._grew = now  # the engine itself gives nothing: it is watched elsewhere
            self.state = "waiting" if self.state != "starting" else "starting"
        elif size < 0 and now - self._grew > 0.3 and not self.folder.is_dir():
            self._trouble(link, "the folder is gone")
            return
        elif now - self._grew > (STILL_S if self.state in ("recording", "waiting") else COMING_S):
            self._trouble(link, can_write(self.folder) or "the recorder hangs")
            return
        self._size = size

    def _on_disk(self) -> int:
        """Bytes of the newest segment's tracks, −1 where one of them is not there."""
        segments = read_segments(self.folder)
        number = segments[-1].number if segments else 1
        try:
            return sum(os.stat(self.folder / segment_file(f"{name}.wav", number)).st_size for name in self.tracks)
        except OSError:
            return -1

    def _trouble(self, link: EngineLink, why: str) -> None:
        """Say so, and go on: in another segment, else in another folder."""
        now = time.monotonic()
        self._troubles = [t for t in self._troubles if now - t < AGAIN_S] + [now]
        self.state = "lost"
        link.renew_recorder()
        refused = can_write(self.folder)
        if not refused and len(self._troubles) <= TRIES:
            self.missing.append(f"{why}: another recorder went on in a new segment")
            self._say(
                f"Recording was interrupted: {why}. It goes on in a new segment; nothing that is kept is lost.", "coral"
            )
            self._begin(link, resume=True)
            return
        other = self._elsewhere()
        self.missing.append(
            f"{refused or why}: the recording ends here" + (f" and goes on in {other}" if other else "")
        )
        if other is None:
            self._say(f"Nothing is being recorded: {refused or why}. Make room or choose another folder, then record again.", "coral")  # fmt: skip
            self.state = "done"
            return
        link.seal_recording(str(self.folder), list(self.tracks))
        self._say(f"{self.folder.name} takes nothing any more: {refused or why}. It goes on in {other}.", "coral")
        self.moved_to = other

    def _finish(self, link: EngineLink, failed: str, now: float) -> None:
        """The recorder closes its files; where it is gone or hangs, another one cuts what it left."""
        if self.state == "done":
            return
        if failed or not link.recorder.alive or now - self._asked > 3.0:
            if failed:
                self.missing.append(f"{failed}: the end of the recording")
            link.renew_recorder()
            link.seal_recording(str(self.folder), list(self.tracks))
            self._asked = now
            if not can_write(self.folder):
                return
            self.state = "done"
