"""The picture beside a take's sound: the camera is open while a take is recorded or somebody hears you, and at no other
time. A process of its own reads it, see `engine/processes/picture.py`."""

import contextlib
import os
import tempfile
import time
from concurrent.futures import Future
from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal

from ...core.document.setup import Part
from ...core.routing.clocks import sounds_for_real
from ...engine.processes.backoff import Backoff
from ...engine.processes.child import Child, end_child, spawn
from ...engine.processes.link import EngineLink
from ...engine.processes.messages import (
    GivePictures,
    KeepPictures,
    LetGoOfPictures,
    PicturesFailed,
    PicturesKept,
    PicturesSeen,
    Quit,
)
from ...ports.devices.cameras import Camera, cameras
from ...takes.camera_place import FOLDER, recorded_picture
from ...words.translation import _
from ..engine.live_engine import LiveEngine
from ..jobs.background import BackgroundQueue
from ..jobs.temporary_folders import temporary_folder
from ..session.session import Session
from .take_recorder import TakeRecorder

OPENS_S = 5.0  # as long a camera may take until its first picture
SETTLES_S = 1.5  # and then until it gives as many as it can
STILL_S = 0.3  # without a picture, where several should have come
FEWER = 0.75  # of those that should have come within a second
KEPT_S = 4.0  # as long the end of a file is waited for


class PictureRecorder(QObject):
    """`state`: off, opening, sees, gone (`why`). `seen` is what the camera's process told last."""

    changed = pyqtSignal()

    def __init__(self, session: Session, running: LiveEngine, taking: TakeRecorder):
        super().__init__()
        self.session, self.running, self.taking = session, running, taking
        self.state, self.why = "off", ""
        self.not_kept = ""  # why nothing more of it comes into the recording that runs
        self.seen: PicturesSeen | None = None
        self._child: Child | None = None
        self._of: tuple[str, str] = ("", "")  # the picture and the camera it is read for
        self._link: EngineLink | None = None
        self._opened = self._began = 0.0
        self._pauses = Backoff()
        self._keeps: Path | None = None
        self._ending: float | None = None  # since when the end of a file is waited for
        self._folder: tempfile.TemporaryDirectory[str] | None = None
        self._pipes = 0
        self._looking: Future[list[Camera]] | None = None
        self._aside = BackgroundQueue("cameras")  # a driver may take its time to answer
        self._broke = ""  # why a part of the picture is not in the recording that runs
        self._recorded = False  # whether a take was recorded when it was looked last
        taking.whole.append(lambda: self.whole)
        taking.changed.connect(self._see_end)

    @property
    def part(self) -> Part | None:
        """The picture that would be recorded."""
        return recorded_picture(self.session.setup.parts)

    @property
    def chosen(self) -> bool:
        """Whether there is a camera to record: one of this computer that was chosen, or that of the stand-ins."""
        setup, part = self.session.setup, self.part
        return part is not None and bool(setup.device(part.device).card or not sounds_for_real(setup))

    @property
    def whole(self) -> bool:
        """Whether what was kept is complete, or is waited for no longer."""
        waits = self._ending is not None and time.monotonic() - self._ending < KEPT_S
        return self._keeps is None and not waits

    def trouble(self, now: float) -> tuple[str, int]:
        """(code, pictures a second): “gone” (see `why`), “not_kept”, “still” and “fewer”; “” while all is well."""
        if self.state == "gone":
            return "gone", 0
        if self.not_kept:
            return "not_kept", 0
        part, seen = self.part, self.seen
        if part is None or seen is None or self.state != "sees" or now - self._began < SETTLES_S:
            return "", 0
        wanted = self.session.setup.device(part.device).pictures_per_s
        if now - seen.newest_ns * 1e-9 > max(STILL_S, 4 / wanted):
            return "still", 0
        if seen.within_s < FEWER * wanted - 1:
            return "fewer", seen.within_s
        return "", seen.within_s

    def tick(self) -> None:
        link = self.running.link
        wanted = self.chosen and self.running.state == "running" and link is not None
        wanted = wanted and (self.taking.state in ("starting", "recording") or self.session.live.on_air)
        part = self.part
        now_of = (part.id, self.session.setup.device(part.device).card) if part is not None else ("", "")
        if self._child is not None and (link is not self._link or now_of != self._of):
            self._end()
        self._hear()
        if wanted and self._child is None and link is not None and self._pauses.may(time.monotonic()):
            self._open(link, now_of)
        if self._child is not None:
            self._keep_or_let_go()
            if not wanted and self._ending is None:
                self._end()
        elif not wanted and self.state != "off":
            self._set("off")

    def _open(self, link: EngineLink, of: tuple[str, str]) -> None:
        source = self._source(of[1])
        if source is None:
            return
        self._pauses.begins(time.monotonic())
        self._child = spawn("picture", "brucke.engine.processes.picture", link.region, (), [str(source)])
        self._link, self._of, self._opened, self._began = link, of, time.monotonic(), 0.0
        self.seen, self._keeps = None, None
        if not of[1]:
            link.tell_world(GivePictures(part=of[0], pictures=str(source)))
        if self.state != "gone":  # which it stays until it gives pictures again
            self._set("opening")

    def _source(self, card: str) -> Path | None:
        """None while it is looked for, and where it is not there."""
        if not card:
            return self._pipe()
        if self._looking is None:
            self._looking = self._aside.do(cameras)
        if not self._looking.done():
            return None
        looking, self._looking = self._looking, None
        found = looking.result() if looking.exception() is None else []
        there = next((c for c in found if c.name == card), None)
        if there is None or there.held_by:
            self._pauses.begins(time.monotonic())
            self._set("gone", _("it is not there") if there is None else
                      _("{program} has it").format(program=there.held_by[0]))  # fmt: skip
            return None
        return there.path

    def _pipe(self) -> Path | None:
        try:
            if self._folder is None:
                self._folder = temporary_folder("camera")
            self._pipes += 1  # who still waits at an old one never writes into the new
            pipe = Path(self._folder.name) / f"pictures-{self._pipes}"
            os.mkfifo(pipe, 0o600)
        except OSError as e:
            self._set("gone", (e.strerror or str(e)).lower())
            return None
        return pipe

    def _hear(self) -> None:
        child = self._child
        if child is None:
            return
        while self._child is not None and (message := child.channel.receive()) is not None:
            match message:
                case PicturesSeen():
                    if self._began == 0.0:
                        self._began = time.monotonic()
                    self.seen = message
                    self._set("sees")
                case PicturesKept():
                    self._ending = None
                case PicturesFailed():
                    if message.ends:
                        self._set("gone", message.reason)
                    else:
                        self.not_kept = message.reason
        if not child.alive:
            self._gone(self.why or _("its process ended"))
        elif self.seen is None and time.monotonic() - self._opened > OPENS_S:
            self._gone(_("it gives no pictures"))

    def _gone(self, why: str) -> None:
        if self._keeps is not None:
            self._broke = why
        self._end()
        self._set("gone", why)

    def _keep_or_let_go(self) -> None:
        child, folder = self._child, self.taking.folder / FOLDER
        assert child is not None
        if self.taking.state == "recording" and self._keeps != folder:
            self._keeps, self._ending, self.not_kept = folder, None, ""
            child.channel.send(KeepPictures(folder=str(folder)))
        elif self.taking.state in ("finishing", "idle", "proving") and self._keeps is not None:
            self._keeps, self._ending = None, time.monotonic()
            child.channel.send(LetGoOfPictures())

    def _see_end(self) -> None:
        """As soon as a recording ends: what it has not of the picture."""
        recorded, self._recorded = self._recorded, self.taking.state == "recording"
        if recorded and self.taking.state == "finishing" and self.chosen:
            self._note_missing()
        if recorded != self._recorded:
            self._broke = self.not_kept = ""

    def _note_missing(self) -> None:
        seen, missing = self.seen, self.taking.recording.missing
        if self._keeps is None or seen is None:
            missing.append(_("the picture: {why}").format(why=self.why or _("the camera had given none yet")))
        elif self.not_kept:
            missing.append(_("the picture from somewhere on: {why}").format(why=self.not_kept))
        elif self._broke:
            missing.append(_("a part of the picture: {why}").format(why=self._broke))
        elif seen is not None and seen.lost:
            missing.append(_("{n} pictures: the computer was busy").format(n=seen.lost))

    def _end(self) -> None:
        """It completes its file by itself; who hangs is ended."""
        child, self._child = self._child, None
        self._ending = self._keeps = None
        self.seen, self._link = None, None
        if child is None:
            return
        if child.alive:
            child.channel.send(Quit())
            self._aside_end(child)
        else:
            end_child(child)
        if self.state != "gone":
            self._set("off")

    @staticmethod
    def _aside_end(child: Child) -> None:
        from threading import Thread

        def wait() -> None:
            until = time.monotonic() + KEPT_S
            while child.alive and time.monotonic() < until:
                time.sleep(0.02)
            with contextlib.suppress(OSError):
                end_child(child)

        Thread(target=wait, name="camera", daemon=True).start()

    def _set(self, state: str, why: str = "") -> None:
        if (state, why) != (self.state, self.why):
            self.state, self.why = state, why
            self.changed.emit()

    def close(self) -> None:
        """What is kept is completed first, as long as that may take."""
        child = self._child
        if child is not None:
            child.channel.send(Quit())
            until = time.monotonic() + KEPT_S
            while child.alive and time.monotonic() < until:
                time.sleep(0.01)
            end_child(child)
            self._child = None
        if self._folder is not None:
            self._folder.cleanup()
