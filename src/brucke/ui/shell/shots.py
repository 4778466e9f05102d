"""Pictures of the main views, made by doing the main job in the demo."""

import sys
import time
from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QSettings
from PyQt6.QtWidgets import QApplication

from ...app.session.session import Session
from ...app.studio import Studio
from ...core.document.setup import Setup
from ...core.storage.presets import OWN
from ...takes.edits import Stretch
from ..places.review.score_dialog import ScoreDialog
from ..theme.theme import Theme
from .window import Window

TAKE_S = 20.0


def take_shots(app: QApplication, theme: Theme, session: Session, settings: QSettings, folder: Path) -> int:
    """What comes in, who hears what, the soundcheck, out of step and in step, two takes compared, night, and the first
    page: one PNG each. 2 where it could not."""
    folder.mkdir(parents=True, exist_ok=True)
    theme.set(night=False, scale=1.0)
    window = Window(theme, Studio(session, settings, take_seconds=TAKE_S))
    window.show()
    pictures = _Pictures(app, theme, window, folder)
    try:
        pictures.coming_in()
        pictures.shaping()
        pictures.measuring()
        pictures.comparing()
        pictures.nothing_yet()
    except TimeoutError:
        print("brucke: the demo did not come as far as its pictures; is the machine very busy?", file=sys.stderr)
        return 2
    finally:
        theme.set(night=False)
        window.running.stop()
    return 0


class _Pictures:
    """The main job in its order, with a picture of each view on the way. TimeoutError where it does not come on."""

    def __init__(self, app: QApplication, theme: Theme, window: Window, folder: Path):
        self.app, self.theme, self.window, self.folder = app, theme, window, folder

    def until(self, met: Callable[[], bool], seconds: float) -> None:
        end = time.monotonic() + seconds
        while not met():
            self.app.processEvents()
            time.sleep(0.005)
            if time.monotonic() > end:
                raise TimeoutError

    def shot(self, name: str, after_s: float) -> None:
        at = time.monotonic() + after_s
        self.window.notice.clear()
        self.until(lambda: time.monotonic() >= at, after_s + 10)
        self.window.grab().save(str(self.folder / f"{name}.png"))

    def coming_in(self) -> None:
        w = self.window
        w.running.start(play=True)
        self.until(lambda: w.running.state == "running", 60)
        self.shot("align-before", 5)
        w.go_to("gather")
        w.gather.choose("part/voice")
        self.shot("gather", 3)
        w.do("share")
        w.share.grid.choose("voice", "shore_stream")
        self.shot("share", 1)

    def shaping(self) -> None:
        w = self.window
        w.go_to("shape")
        self._shape("part/voice", "speech", 4)
        self.shot("shape", 8)
        self._shape("listener/shore_stream", "mix", 3)
        self.shot("shape-listener", 6)
        self._shape("part/cello", "bowed", None)
        self.theme.set(night=True)
        self.shot("shape-night", 8)
        self.theme.set(night=False)
        while w.session.undo_stack.canUndo():
            w.session.undo()

    def _shape(self, owner: str, preset: str, slot: int | None) -> None:
        shape = self.window.shape
        shape.choose_owner(owner)
        shape.presets.apply(preset, OWN[preset])
        if slot is not None:
            shape.choose(slot)
            shape.chain.focus_row()

    def measuring(self) -> None:
        w = self.window
        w.do("listen")
        self.until(lambda: not w.checking.listening, 60)
        self.shot("soundcheck", 0.5)
        self._prove()
        w.go_to("align")
        w.measuring.begin()
        self.until(lambda: not w.measuring.busy, 60)
        w.align.choose_listener("shore_stream")
        w.running.play(True)
        w.detail.set(False)
        w.align.toggle_questions()
        self.shot("questions", 1)
        w.align.toggle_questions()
        w.detail.set(True)
        w.align.everywhere()
        w.align.choose_part("harp")
        self.shot("align-in-step", 1)

    def _prove(self) -> None:
        self.window.taking.prove_from_the_top()
        self.until(lambda: self.window.taking.state == "idle", 300)

    def comparing(self) -> None:
        w = self.window
        self._prove()
        self.shot("review", 0.5)
        self._score()
        w.go_to("align")
        w.running.play(True)
        w.go_to("perform")
        w.do("line_next")
        self.until(lambda: w.studio.order.spent_s > 1.5, 5)
        w.do("line_next")
        self.shot("perform", 8)
        self.theme.set(night=True)
        w.do("share")
        self.shot("share-night", 1)
        self.theme.set(night=False)

    def _score(self) -> None:
        """The recording that was just made, edited a little."""
        w = self.window
        w.review.kept.open_score()
        dialog = next(d for d in w.findChildren(ScoreDialog) if d.isVisible())
        self.until(lambda: bool(dialog.editing.outlines), 60)
        dialog.drawing.choose(Stretch(2.0, 4.0), "")
        dialog.leave_out()
        dialog.drawing.choose(Stretch(13.0, 15.5), "cello")
        dialog.mute()
        dialog.drawing.choose(Stretch(8.0, 11.0), "voice")
        dialog.raise_by(2.0)
        self.until(lambda: bool(dialog.drawing.data.tracks[0].shape), 10)
        self.app.processEvents()  # its buttons have other words now, and take their place
        dialog.grab().save(str(self.folder / "score.png"))
        dialog.reject()

    def nothing_yet(self) -> None:
        w = self.window
        w.session.replace(Setup())
        w.go_to("gather")
        w.gather.start.focus_first()
        self.shot("start", 0.5)
