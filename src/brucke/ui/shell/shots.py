"""Pictures of the main views, made by doing the main job in the demo."""

import sys
import time
from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QSettings
from PyQt6.QtWidgets import QApplication

from ...core.document.presets import OWN
from ...core.document.setup import Setup
from ...desk.session import Session
from ..theme.theme import Theme
from .window import Window

TAKE_S = 20.0


def take_shots(app: QApplication, theme: Theme, session: Session, settings: QSettings, folder: Path) -> int:
    """What comes in, who hears what, the soundcheck, out of step and in step, two takes compared, night, and the first
    page: one PNG each. 2 where it could not."""
    folder.mkdir(parents=True, exist_ok=True)
    theme.set(night=False, scale=1.0)
    window = Window(theme, session, settings, take_seconds=TAKE_S)
    window.show()

    def until(met: Callable[[], bool], seconds: float) -> None:
        end = time.monotonic() + seconds
        while not met():
            app.processEvents()
            time.sleep(0.005)
            if time.monotonic() > end:
                raise TimeoutError

    def shot(name: str) -> None:
        window.notice.clear()
        until(lambda: time.monotonic() >= stop, 10)
        window.grab().save(str(folder / f"{name}.png"))

    try:
        window.running.start(play=True)
        until(lambda: window.running.state == "running", 60)
        stop = time.monotonic() + 5
        shot("align-before")
        window.go_to("gather")
        window.gather.choose("part/voice")
        stop = time.monotonic() + 3
        shot("gather")
        window.gather.choose("part/harp")
        stop = time.monotonic() + 3
        shot("gather-track")
        window.do("share")
        window.share.grid.choose("voice", "shore_stream")
        stop = time.monotonic() + 1
        shot("share")
        window.go_to("shape")
        window.shape.choose_part("voice")
        window.shape.presets.apply("speech", OWN["speech"])
        window.shape.choose(4)
        window.shape.chain.focus_row()
        stop = time.monotonic() + 8
        shot("shape")
        window.shape.choose_owner("listener/shore_stream")
        window.shape.presets.apply("mix", OWN["mix"])
        window.shape.choose(3)
        window.shape.chain.focus_row()
        stop = time.monotonic() + 6
        shot("shape-listener")
        window.shape.choose_part("cello")
        window.shape.presets.apply("bowed", OWN["bowed"])
        theme.set(night=True)
        stop = time.monotonic() + 8
        shot("shape-night")
        theme.set(night=False)
        while session.undo_stack.canUndo():
            session.undo()
        window.do("listen")
        until(lambda: not window.checking.listening, 60)
        stop = time.monotonic() + 0.5
        shot("soundcheck")
        window.taking.prove_from_the_top()
        until(lambda: window.taking.state == "idle", 300)
        window.go_to("align")
        window.measuring.begin()
        until(lambda: not window.measuring.busy, 60)
        window.align.choose_listener("shore_stream")
        window.running.play(True)
        stop = time.monotonic() + 4
        shot("align-measured")
        window.align.everywhere()
        window.align.choose_part("harp")
        stop = time.monotonic() + 1
        shot("align-in-step")
        window.align.toggle_table()
        stop = time.monotonic() + 0.5
        shot("align-table")
        window.align.toggle_table()
        window.taking.prove_from_the_top()
        until(lambda: window.taking.state == "idle", 300)
        stop = time.monotonic() + 0.5
        shot("review")
        window.go_to("align")
        window.running.play(True)
        theme.set(night=True)
        stop = time.monotonic() + 4
        shot("align-night")
        window.do("share")
        stop = time.monotonic() + 1
        shot("share-night")
        theme.set(night=False)
        session.replace(Setup())
        window.go_to("gather")
        window.gather.start.focus_first()
        stop = time.monotonic() + 0.5
        shot("start")
    except TimeoutError:
        print("brucke: the demo did not come as far as its pictures; is the machine very busy?", file=sys.stderr)
        return 2
    finally:
        theme.set(night=False)
        window.running.stop()
    return 0
