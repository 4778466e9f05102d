"""Every other way of knowing: what is found in recordings, what holds, and what to enter elsewhere. Each is a dialog behind one key."""

from collections.abc import Callable
from typing import Protocol

from PyQt6.QtWidgets import QDialog

from ...desk.buffer_finder import BufferFinder
from ...desk.by_ear import ByEar
from ...desk.camera_check import CameraCheck
from ...desk.clock_watch import ClockWatch
from ...desk.film_check import FilmCheck
from ...desk.playback import Playback
from ...desk.round_trip import Measurer
from ...desk.running import LiveEngine
from ...desk.session import Session
from ...desk.take import TakeRecorder
from ...words.hand_off import handed_to
from ..places.align.buffer_dialog import BufferDialog
from ..places.align.clocks_dialog import ClocksDialog
from ..places.align.files_dialog import PATH, Asked, FilesDialog
from ..places.align.film_dialog import FilmDialog
from ..places.align.flash_dialog import FlashDialog
from ..places.align.hand_off_dialog import HandOffDialog
from ..places.align.stages_dialog import StagesDialog
from ..places.align.view import AlignView
from ..places.align.voice_dialog import VoiceDialog
from ..places.align.what_if_dialog import WhatIfDialog
from ..theme.theme import Theme


class Around(Protocol):
    """What they need of the window they stand beside."""

    theme: Theme
    session: Session
    running: LiveEngine
    measuring: Measurer
    taking: TakeRecorder
    playback: Playback
    align: AlignView


class Otherwise:
    """One dialog at a time; of a listener they show the one that Align shows."""

    def __init__(self, window: Around):
        self._window, self.theme, self.session = window, window.theme, window.session
        running, measuring, taking = window.running, window.measuring, window.taking
        session = self.session
        self.film = FilmCheck(session, window.playback)
        self.ear = ByEar(session, window.playback)
        self.buffers = BufferFinder(session, running, measuring, taking)
        self.clocks = ClockWatch(session, running)
        self.camera = CameraCheck(session, window.playback)
        self.shown: QDialog | None = None
        self.ways: dict[str, Callable[[], None]] = {
            "film": self._film, "hand_off": self._hand_off, "buffer": self._buffer,
            "voice_music": self._voice, "what_if": self._what_if, "stages": self._stages, "camera": self._camera, "path": lambda: self._files(PATH), "clocks": self._clocks,
        }  # fmt: skip

    def tick(self) -> None:
        self.buffers.tick()
        self.clocks.tick()

    def close(self) -> None:
        if self.shown is not None:
            self.shown.reject()
        self.buffers.cancel()
        self.film.close()
        self.ear.close()
        self.clocks.close()
        self.camera.close()

    def _show(self, dialog: QDialog) -> None:
        """Beside the window, which goes on; one at a time."""
        if self.shown is not None:
            self.shown.reject()
        self.shown = dialog
        dialog.finished.connect(lambda _code: self._gone(dialog))
        dialog.show()

    def _gone(self, dialog: QDialog) -> None:
        if self.shown is dialog:
            self.shown = None
        dialog.deleteLater()

    def _film(self) -> None:
        dialog = FilmDialog(self.theme, self.film, self._window.align.listener, self._window.align.window())
        self._show(dialog)
        if not self.film.state:
            dialog.choose_file()

    def _hand_off(self) -> None:
        if not handed_to(self.session.setup):
            self.session.noticed.emit(
                "There is no call and no stream in this setup, so nothing to enter elsewhere. Share adds one (A).",
                "amber",
            )
            return
        self._show(HandOffDialog(self.theme, self.session, self._window.align.listener, self._window.align.window()))

    def _buffer(self) -> None:
        self._show(BufferDialog(self.theme, self.buffers, self._window.align.window()))

    def _files(self, asked: Asked) -> None:
        self._show(FilesDialog(self.theme, asked, self._window.align.window()))

    def _camera(self) -> None:
        self._show(FlashDialog(self.theme, self.camera, self._window.align.window()))

    def _clocks(self) -> None:
        self._show(ClocksDialog(self.theme, self.clocks, self._window.align.window()))

    def _voice(self) -> None:
        self._show(VoiceDialog(self.theme, self.ear, self._window.align.listener, self._window.align.window()))

    def _stages(self) -> None:
        self._show(StagesDialog(self.theme, self.session, self._window.measuring, self._window.align.window()))

    def _what_if(self) -> None:
        self._show(WhatIfDialog(self.theme, self.session, self._window.align.listener, self._window.align.window()))
