"""The recorder as the application sees it: judged by what it says it has kept, and by what could still be lost.

What the engine gives stands in a ring for six seconds. A recorder that has ended is replaced at once; one that hangs,
or a disk that takes its time, is given until less than two seconds of that ring are left. The new one goes on in
another segment from what the ring still holds. Where the folder takes nothing any more, another folder goes on.
"""

import threading
import time
from collections import deque
from collections.abc import Callable
from concurrent.futures import Future
from pathlib import Path

from ...engine.processes.link import EngineLink
from ...engine.processes.lives import lives
from ...engine.processes.messages import Recorded, RecordingFailed
from ...engine.processes.region import MARGIN_S, RECORD_S, Head
from ...words.translation import _
from ..jobs.background import in_background
from .take_folders import GONE, can_write

LEFT_S = 2.0  # with less of the ring left, something is lost soon
STILL_S = 0.5  # nothing was kept for so long
COMING_S = 3.0  # a recorder that has just been started
BEHIND_S = 1.0  # so much is said of
SLOW_S = 1.5  # a disk that makes one file safe for so long is said to be slow
ANSWER_S = 1.0  # as long a folder is given to say whether it takes anything
SEAL_S = 3.0  # a recorder closes its files within that
TRIES = 3  # in one folder within AGAIN_S, then another
AGAIN_S = 10.0
NO_ANSWER = _("the disk does not answer")


class RecorderWatch:
    """`state`: idle, starting, recording, behind (nothing is lost, and nothing is written just now), waiting (the
    engine gives nothing), lost (nothing is being written), sealing, done. `missing` is what is not there that should
    be; `said` what the user is to be told, (text, tone), in its order. Everything may be called from any thread; `tick`
    is the supervisor's, and waits for no disk."""

    def __init__(self, elsewhere: Callable[[], Path | None]):
        self._elsewhere = elsewhere
        self.state = "idle"
        self.folder = Path()
        self.moved_to: Path | None = None  # where it goes on, once this folder takes nothing any more
        self._since = -1  # and from which frame: nothing that is held is lost by that
        self.tracks: dict[str, list[int]] = {}
        self.missing: list[str] = []
        self.said: deque[tuple[str, str]] = deque()
        self._lock = threading.RLock()
        self._asked_frame = self._frame = self._kept = 0
        self._asked_ns = 0
        self._came = self._moved = self._asked = 0.0
        self._troubles: list[float] = []
        self._why = ""
        self._probe: Future[tuple[str, Path | None]] | None = None
        self._probed = 0.0
        self._told: set[str] = set()

    @property
    def running(self) -> bool:
        return self.state in ("starting", "recording", "behind", "waiting", "lost")

    def start(self, link: EngineLink, folder: Path, tracks: dict[str, list[int]]) -> None:
        with self._lock:
            self.folder, self.tracks, self.missing, self.moved_to = folder, tracks, [], None
            self._troubles, self._told, self._probe = [], set(), None
            since, self._since = self._since, -1
            self._begin(link, resume=False, since=since)
            self.state = "starting"

    def go_on_with(self, link: EngineLink, tracks: dict[str, list[int]]) -> None:
        """Other tracks from now on: a new segment without a gap."""
        with self._lock:
            self.tracks = tracks
            self._begin(link, resume=True)

    def _begin(self, link: EngineLink, resume: bool, since: int = -1) -> None:
        link.record(str(self.folder), self.tracks, resume, since)
        self._asked_ns, self._asked_frame = time.monotonic_ns(), link.get(Head.RECORDED)
        self._came = self._moved = time.monotonic()

    def stop(self, link: EngineLink | None) -> None:
        """Ask for the end; `state` says when it is there."""
        with self._lock:
            if link is not None:
                link.stop_recording()
            self.state, self._asked = "sealing" if link is not None else "done", time.monotonic()

    def tick(self, link: EngineLink) -> None:
        """With every look of the supervisor."""
        with self._lock:
            if self.state in ("idle", "done"):
                return
            now, failed = time.monotonic(), self._messages(link)
            if self.state == "sealing":
                self._finish(link, failed, now)
            elif self._probe is not None:
                self._look_at_probe(link, now)
            elif self.running and (failed or not link.recorder.alive):
                self._trouble(link, failed or _("the recorder stopped"), now)
            elif self.running:
                self._look(link, now)

    def _messages(self, link: EngineLink) -> str:
        """Why the recorder failed, where it says so."""
        while (message := link.recorder.channel.receive()) is not None:
            if isinstance(message, RecordingFailed) and message.folder == str(self.folder):
                return message.reason
            if isinstance(message, Recorded) and self.state == "sealing":
                self.state = "done"
        return ""

    def _look(self, link: EngineLink, now: float) -> None:
        written, kept = link.get(Head.RECORDED), link.get(Head.KEPT)
        begun = link.get(Head.KEPT_NS) > self._asked_ns and link.get(Head.KEEPING) == 1
        from_frame = kept if begun else self._asked_frame
        # What no engine gave is no sound that waits to be written.
        gaps = sum(life.gap for life in lives(link.region) if life.first > from_frame)
        behind_s = max(0, written - from_frame - gaps) / link.shape.rate
        if written != self._frame:
            if now - self._came > STILL_S:  # there was nothing to keep meanwhile
                self._moved = now
            self._frame, self._came = written, now
        if begun and kept != self._kept:
            self._kept, self._moved = kept, now
        still = now - self._moved > (STILL_S if begun else COMING_S)  # whoever catches up works
        if RECORD_S - MARGIN_S - behind_s < LEFT_S and still:
            self._trouble(link, _("the recorder hangs") if begun else _("the recorder did not begin"), now)
        elif now - self._came > BEHIND_S / 2:
            self.state = "waiting" if self.state != "starting" else "starting"  # the engine itself is watched elsewhere
        elif begun and behind_s < BEHIND_S:
            self.state = "recording"
            self._told.discard("behind")
        elif behind_s >= BEHIND_S and begun:
            self.state = "behind"
            self._say_once(
                "behind",
                _(
                    "Nothing has been written for {behind_s:.0f} s. What comes is held in memory; nothing is lost yet."
                ).format(behind_s=behind_s),
            )
        self._look_at_disk(link)

    def _look_at_disk(self, link: EngineLink) -> None:
        since = link.get(Head.SYNC_NS)
        slow_s = (time.monotonic_ns() - since) / 1e9 if since else 0.0
        if slow_s > SLOW_S:
            self._say_once("slow", _("The disk has not answered for {slow_s:.1f} s. Recording goes on; the newest of "
                                     "it is not safe on the disk yet.").format(slow_s=slow_s))  # fmt: skip

    def _say_once(self, what: str, text: str) -> None:
        if what not in self._told:
            self._told.add(what)
            self.said.append((text, "coral" if what == "behind" else "amber"))

    def _trouble(self, link: EngineLink, why: str, now: float) -> None:
        """Another recorder, and what the folder says; then it goes on there, or elsewhere."""
        self._troubles = [t for t in self._troubles if now - t < AGAIN_S] + [now]
        self.state, self._why = "lost", why
        link.renew_recorder()
        folder, many = self.folder, len(self._troubles) > TRIES

        def look() -> tuple[str, Path | None]:
            refused = can_write(folder)
            return refused, self._elsewhere() if refused or many else None

        # In a thread of its own: the last one may hang for ever.
        self._probe, self._probed = in_background("folder", look), now

    def _look_at_probe(self, link: EngineLink, now: float) -> None:
        assert self._probe is not None
        if self._probe.done():
            refused, other = self._probe.result()
        elif now - self._probed < ANSWER_S:
            return
        else:
            refused, other = NO_ANSWER, None
            if self._probed and not self._why.endswith(NO_ANSWER):
                # The folder itself hangs; another one may stand on another disk.
                self._why = f"{self._why}, and {NO_ANSWER}"
                self._probe, self._probed = in_background("elsewhere", lambda: (NO_ANSWER, self._elsewhere())), now
                return
        self._probe = None
        if not refused and len(self._troubles) <= TRIES:
            self.missing.append(_("{why}: another recorder went on in a new segment").format(why=self._why))
            self.said.append(
                (
                    _(
                        "Recording was interrupted: {why}. It goes on in a new segment; nothing that is kept is lost."
                    ).format(why=self._why),
                    "coral",
                )
            )
            self._begin(link, resume=True)
            self.state = "starting"
            return
        why = refused or self._why
        self.missing.append(
            _("{why}: the recording ends here").format(why=why)
            + (_(" and goes on in {other}").format(other=other) if other else "")
        )
        if other is None:
            self.said.append(
                (
                    _(
                        "Nothing is being recorded: {why}. Make room or choose another folder, then record again."
                    ).format(why=why),
                    "coral",
                )
            )
            self.state = "done"
            return
        if refused != NO_ANSWER:
            link.seal_recording(str(self.folder), list(self.tracks))
        self.said.append(
            (
                _("{name} takes nothing any more: {why}. It goes on in {other}.").format(
                    name=self.folder.name, why=why, other=other
                ),
                "coral",
            )
        )
        # What was kept in a folder that is gone is gone with it: as much as is still held is written anew.
        self._since = 0 if refused == GONE else self._kept
        self.moved_to = other

    def _finish(self, link: EngineLink, failed: str, now: float) -> None:
        """The recorder closes its files; where it is gone or hangs, another one cuts what it left."""
        if self.state == "done":
            return
        ended = failed or not link.recorder.alive
        waits = now - self._asked > SEAL_S and (time.monotonic_ns() - link.get(Head.KEPT_NS)) / 1e9 > RECORD_S - LEFT_S
        if not (ended or waits):
            return
        if failed:
            self.missing.append(_("{failed}: the end of the recording").format(failed=failed))
        elif waits and "sealing" in self._told:
            self.missing.append(_("{why}: the end of the recording").format(why=NO_ANSWER))
            self.state = "done"
            return
        self._told.add("sealing")
        link.renew_recorder()
        link.seal_recording(str(self.folder), list(self.tracks))
        self._asked = now
