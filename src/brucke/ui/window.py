"""The window: deck, place, strip; what is wired to what, and nothing else."""

import time
from pathlib import Path

from PyQt6.QtCore import QPoint, QSettings
from PyQt6.QtGui import QCloseEvent, QResizeEvent
from PyQt6.QtWidgets import QFileDialog, QMainWindow, QMenu, QMessageBox, QStackedWidget, QVBoxLayout, QWidget

from .. import words
from ..core.evidence import device_fingerprint, round_trip_key
from ..core.setup_file import SUFFIX, SetupError
from ..rehearse.evidence import measuring_pair
from .actions import Actions
from .align.view import AlignView
from .deck import Deck, DeckFacts
from .frame_clock import FrameClock
from .keys_dialog import KeysDialog
from .measuring import Measuring
from .notice import Notice
from .review.view import ReviewView
from .running import Running
from .session import Session
from .strip import Strip
from .taking import Taking
from .theme.theme import Theme

COMPACT_PX = 560  # below this scaled height deck and strip make room for the place
MENU = (
    "open",
    "save",
    "save_as",
    "",
    "undo",
    "redo",
    "",
    "everywhere",
    "",
    "night",
    "larger",
    "smaller",
    "fold",
    "keys",
    "",
    "quit",
)


class Window(QMainWindow):
    def __init__(
        self,
        theme: Theme,
        session: Session,
        settings: QSettings,
        running: Running | None = None,
        take_seconds: float = 30.0,
    ):
        super().__init__()
        self.theme, self.session, self.settings = theme, session, settings
        self.running = running or Running(session)
        self.measuring = Measuring(session, self.running)
        self.taking = Taking(session, self.running, take_seconds)
        self.heard_music = self.compared = False
        self._air_from = 0.0
        self._ticks = 0
        self.actions_table = Actions(self, settings, self.do)
        self.deck = Deck(theme, [("align", "Align"), ("review", "Review")])
        self.notice = Notice(theme)
        self.align = AlignView(theme, session, self.measuring, self.taking)
        self.review = ReviewView(theme, session, self.taking)
        self.places: dict[str, QWidget] = {"align": self.align, "review": self.review}
        self.stack = QStackedWidget()
        for place in self.places.values():
            self.stack.addWidget(place)
        self.strip = Strip(theme, session, self.running)
        self._assemble()
        self._connect()
        self.taking.find()
        self.go_to("align")

    def _assemble(self) -> None:
        body = QWidget()
        column = QVBoxLayout(body)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.deck)
        column.addWidget(self.notice)
        column.addWidget(self.stack, 1)
        column.addWidget(self.strip)
        self.setCentralWidget(body)
        self.setMinimumSize(800, 560)
        self.resize(1280, 800)

    def _connect(self) -> None:
        self.deck.went.connect(self.go_to)
        self.deck.acted.connect(self.act)
        self.deck.menu.clicked.connect(self._menu)
        self.deck.start.clicked.connect(lambda: self.do("start_stop"))
        self.deck.live.clicked.connect(lambda: self.do("go_live"))
        self.strip.chose.connect(self._show_listener)
        self.align.shows.connect(self.strip.choose)
        self.review.shows.connect(self.strip.choose)
        self.session.went.connect(self._went)
        self.session.noticed.connect(self.notice.say)
        for signal in (self.session.changed, self.running.changed, self.taking.changed, self.measuring.changed):
            signal.connect(self.refresh)
        self.taking.proved.connect(self._proved)
        self.theme.changed.connect(self._compact)
        self.clock = FrameClock(self)
        for part in (self.running, self.measuring, self.taking):
            self.clock.tick.connect(part.tick)
        self.clock.tick.connect(self._frame)

    # Places

    def go_to(self, place: str) -> None:
        self.stack.setCurrentWidget(self.places[place])
        for id, span in self.deck.spans.items():
            span.setChecked(id == place)
        self.refresh()

    @property
    def place(self) -> str:
        return next(id for id, w in self.places.items() if w is self.stack.currentWidget())

    def _show_listener(self, listener: str) -> None:
        if self.place == "review":
            self.review.choose_listener(listener)
        else:
            self.align.choose_listener(listener)

    def _went(self, place: str, thing: str, what: str) -> None:
        if place in self.places:
            self.go_to(place)
        if place == "align":
            self.align.go_to(thing)
        self.notice.say(what, "mute")

    def act(self, number: int) -> None:
        """The three acts: hear the music, measure, put in step and compare."""
        if number == 0:
            self.running.play(True)
        elif number == 1:
            self.go_to("align")
            self.measuring.begin()
        else:
            self.go_to("align")
            self.align.everywhere()
            self.taking.toggle()

    def _proved(self) -> None:
        self.go_to("review")
        self.notice.say("The take is measured. B changes between before and now.", "water")

    # What is shown

    def refresh(self) -> None:
        session = self.session
        star = " (unsaved)" if session.unsaved else ""
        self.setWindowTitle(f"{session.setup.name}{star} – Brucke")
        bad = [t for t in session.timing.listeners if words.needs_you(t.verdict)]
        if bad:
            shown = next((t for t in bad if t.listener == self.align.listener), bad[0])
            self.deck.spans["align"].say(words.verdict_text(session.setup, shown.verdict), "coral")
        else:
            sure = all(t.verdict.sure for t in session.timing.listeners)
            self.deck.spans["align"].say("in step" if sure else "in step, by calculation", "water")
        count = len(self.taking.takes)
        state = {"recording": "recording", "finishing": "collecting", "proving": "measuring"}.get(self.taking.state)
        self.deck.spans["review"].say(
            state or (f"{count} take{'s' * (count != 1)}" if count else "no take yet"), "mute"
        )
        self._show_acts(not bad)
        self.strip.choose(self.align.listener if self.place == "align" else self.review.listener)
        self._facts()

    def _show_acts(self, in_step: bool) -> None:
        pair = measuring_pair(self.session.setup)
        measured = False
        if pair is not None:
            print_ = device_fingerprint(self.session.setup, pair[0])
            measured = self.session.knowledge.good(round_trip_key(pair[0]), print_) is not None
        self.heard_music = self.heard_music or self.running.playing
        take = self.taking.take
        # Proved is what was recorded with the delays that are in force now.
        proved = take is not None and bool(take.proof) and take.setup.routes == self.session.setup.routes
        done = (self.heard_music, measured, measured and in_step and proved)
        due = next((i for i, d in enumerate(done) if not d), -1)
        for i, act in enumerate(self.deck.acts):
            act.say(done[i], i == due)

    def _facts(self) -> None:
        setup, running = self.session.setup, self.running
        names = {
            "stopped": "Stopped",
            "starting": "Starting…",
            "running": "Rehearsing",
            "restarting": "Engine restarting…",
        }
        air = self.session.live.on_air
        state = "On air" if air and running.state == "running" else names[running.state]
        if self.taking.state == "recording":
            state = "Recording"
        dropouts = running.dropouts
        load, tone = "", "mute"
        if running.state == "running" and running.link is not None:
            said = "no dropouts" if not dropouts else f"{dropouts} dropout{'s' * (dropouts != 1)}"
            load = f"load {running.link.load:.0%}".replace("%", " %") + f"  ·  {said}"
            tone = "amber" if dropouts else "mute"
        since = int(time.monotonic() - self._air_from)
        self.deck.show_facts(
            DeckFacts(
                setup.name, state, f"{setup.rate_hz / 1000:g} kHz, {setup.block_frames} frames", load, tone,
                running.link is not None, f"{since // 60}:{since % 60:02d}" if air else "",
            )
        )  # fmt: skip

    def _frame(self) -> None:
        self._ticks += 1
        if self._ticks % 15 == 0:
            self._facts()
            if self.running.playing and not self.heard_music:
                self.refresh()

    # What can be done

    def do(self, id: str) -> None:
        """An action of the table, by its id."""
        {
            "start_stop": self._start_stop,
            "go_live": self._go_live,
            "play": lambda: self.running.play(not self.running.playing),
            "back": lambda: self.running.seek(self.running.track[0] - 5),
            "forth": lambda: self.running.seek(self.running.track[0] + 5),
            "measure": self.measuring.begin,
            "cancel": self._cancel,
            "delay_one": self.align.delay_one,
            "everyone": self.align.everyone,
            "everywhere": self.align.everywhere,
            "later": lambda: self.align.nudge(1.0),
            "earlier": lambda: self.align.nudge(-1.0),
            "record": self.taking.toggle,
            "compare": self._compare,
            "next_listener": self._next_listener,
            "table": lambda: (self.review if self.place == "review" else self.align).toggle_table(),
            "moment": self.strip.next_moment,
            "align": lambda: self.go_to("align"),
            "review": lambda: self.go_to("review"),
            "undo": self.session.undo,
            "redo": self.session.redo,
            "open": self.open,
            "save": self.save,
            "save_as": self.save_as,
            "night": self._night,
            "larger": lambda: self._scale(1),
            "smaller": lambda: self._scale(-1),
            "fold": self.strip.toggle_fold,
            "keys": lambda: KeysDialog(self.actions_table, self).exec(),
            "quit": self.close,
        }[id]()

    def _cancel(self) -> None:
        if self.measuring.busy:
            self.measuring.cancel()
        elif self.taking.heard:
            self.taking.stop_listening()
        elif self.taking.state != "idle":
            self.taking.cancel()
        else:
            self.notice.clear()

    def _compare(self) -> None:
        self.go_to("review")
        self.review.compare()

    def _next_listener(self) -> None:
        (self.review if self.place == "review" else self.align).next_listener()
        self.refresh()

    def _start_stop(self) -> None:
        if self.session.live.on_air:
            self.notice.say("You are on air: nothing is stopped by one key. End the transmission first (F9).", "amber")
        elif self.running.link is not None:
            self.running.stop()
        else:
            self.running.start()

    def _go_live(self) -> None:
        on = not self.session.live.on_air
        if on and self.running.state != "running":
            self.notice.say("Start first: nothing is running yet.", "amber")
            return
        self._air_from = time.monotonic()
        self.running.go_live(on)

    def _night(self) -> None:
        self.theme.toggle_night()
        self.settings.setValue("night", self.theme.tokens.name == "night")

    def _scale(self, by: int) -> None:
        self.theme.step_scale(by)
        self.settings.setValue("scale", self.theme.tokens.scale)

    def _menu(self) -> None:
        menu = QMenu(self)
        for id in MENU:
            if id:
                menu.addAction(self.actions_table.by_id[id])
            else:
                menu.addSeparator()
        menu.exec(self.deck.menu.mapToGlobal(QPoint(0, self.deck.menu.height())))

    # Files

    def open(self) -> None:
        if self.session.live.on_air:
            self.notice.say("On air, no other setup is opened. End the transmission first.", "amber")
            return
        if self.taking.state != "idle":
            self.notice.say("A take is being made. End it first, then open another setup.", "amber")
            return
        name, _ = QFileDialog.getOpenFileName(self, "Open a setup", self._folder(), f"Setups (*{SUFFIX} *.json)")
        if name:
            self.open_file(Path(name))

    def open_file(self, path: Path) -> bool:
        """Replace the document; on an error the open one stays."""
        if self.session.unsaved and not self._may_lose():
            return False
        try:
            self.session.open(path)
        except SetupError as e:
            self.notice.say(f"Not opened. {e}.", "coral")
            return False
        self.settings.setValue("folder", str(path.parent))
        self.notice.clear()
        return True

    def _may_lose(self) -> bool:
        answer = QMessageBox.question(
            self, "Brucke", f"“{self.session.setup.name}” has changes that are not saved. Leave them?",
            QMessageBox.StandardButton.Discard | QMessageBox.StandardButton.Cancel,
        )  # fmt: skip
        return answer == QMessageBox.StandardButton.Discard

    def _folder(self) -> str:
        return str(self.settings.value("folder", str(Path.home())))

    def save(self) -> None:
        if self.session.path is None or not self.writable(self.session.path):
            self.save_as()
        else:
            self._save_to(self.session.path)

    def writable(self, path: Path) -> bool:
        """The demo's own file is never written over."""
        from ..demo import FOLDER

        return path.parent != FOLDER

    def save_as(self) -> None:
        start = str(Path(self._folder()) / f"{self.session.setup.name}{SUFFIX}")
        name, _ = QFileDialog.getSaveFileName(self, "Save the setup", start, f"Setups (*{SUFFIX})")
        if name:
            self._save_to(Path(name))

    def _save_to(self, path: Path) -> None:
        try:
            self.session.save_as(path)
        except OSError as e:
            self.notice.say(
                f"Not saved. {path.name}: {(e.strerror or str(e)).lower()}. The open setup is unchanged.", "coral"
            )
            return
        self.settings.setValue("folder", str(path.parent))
        self.notice.say(f"Saved as {path.name}.", "water")
        self.refresh()

    def resizeEvent(self, e: QResizeEvent | None) -> None:
        super().resizeEvent(e)
        self._compact()

    def _compact(self) -> None:
        compact = self.height() < self.theme.tokens.px(COMPACT_PX)
        self.deck.set_compact(compact)
        self.strip.set_compact(compact)

    def closeEvent(self, e: QCloseEvent | None) -> None:
        if e is not None and self.session.unsaved and not self._may_lose():
            e.ignore()
            return
        self.settings.setValue("geometry", self.saveGeometry())
        self.taking.close()
        self.running.stop()
        super().closeEvent(e)
