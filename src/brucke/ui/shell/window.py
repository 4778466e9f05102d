"""The window: deck, place, strip; what is wired to what. What its actions do is in `doing.py`."""

from pathlib import Path

from PyQt6.QtCore import QEvent, QSettings, Qt, pyqtSignal
from PyQt6.QtGui import QCloseEvent, QDragEnterEvent, QDropEvent, QResizeEvent, QShowEvent
from PyQt6.QtWidgets import QApplication, QMainWindow, QStackedWidget, QVBoxLayout, QWidget

from ...desk.desktop import Desktop
from ...desk.documents import Documents
from ...desk.frame_clock import FrameClock
from ...desk.good_hours import GoodHours
from ...desk.goodbye import Goodbye
from ...desk.headphones import HeadphoneCheck
from ...desk.playback import Playback
from ...desk.round_trip import Measurer
from ...desk.running import LiveEngine
from ...desk.session import Session
from ...desk.shape import ShapeHelpers
from ...desk.soundcheck import SoundcheckRun
from ...desk.take import TakeRecorder
from ...words.doors import goodbye_text
from ...words.good_hour import since_text
from ..kit.place import Place
from ..places.align.view import AlignView
from ..places.gather.view import GatherView
from ..places.review.view import ReviewView
from ..places.shape.view import ShapeView
from ..places.share.view import ShareView
from ..places.soundcheck.view import SoundcheckView
from ..theme.theme import Theme
from .actions import Actions
from .deck import Deck
from .doing import Doing
from .filing import Filing
from .hiding import Hiding
from .menu import show_menu
from .notice import Notice
from .otherwise import Otherwise
from .overview import Overview
from .strip import Strip

COMPACT_PX = 560  # below this scaled height deck and strip make room for the place


class Window(QMainWindow):
    ended = pyqtSignal()

    def __init__(
        self,
        theme: Theme,
        session: Session,
        settings: QSettings,
        running: LiveEngine | None = None,
        take_seconds: float = 30.0,
        documents: Documents | None = None,
    ):
        super().__init__()
        self.theme, self.session, self.settings = theme, session, settings
        self.running = running or LiveEngine(session)
        self.documents = documents or Documents(session, settings)
        self.desktop = Desktop(session)
        self.checking = SoundcheckRun(session, self.running)
        self.measuring = Measurer(session, self.running)
        self.taking = TakeRecorder(session, self.running, take_seconds)
        self.playback = Playback(session, self.running, self.taking)
        self.shaping = ShapeHelpers(session, self.running, self.documents.home)
        self.hours = GoodHours(session, self.running, self.taking, self.desktop, self.documents.home)
        self.headphones = HeadphoneCheck(session, self.running, self.desktop)
        self.goodbye = Goodbye(session, self.running, self.taking)
        self.hiding: Hiding | None = None  # where closing it does not end it
        self._before_check = "gather"
        self._ticks = 0
        self._asked, self._leaves = True, False
        self.doing = Doing(self)
        self.do, self.act = self.doing.do, self.doing.act
        self.actions_table = Actions(self, settings, self.do)
        self.notice = Notice(theme)
        self.filing = Filing(self, theme, session, self.documents, self.notice)
        self.gather = GatherView(
            theme, session, self.running, self.documents, self.shaping.levelling, self.desktop, self.headphones
        )
        self.share = ShareView(theme, session, self.running, self.checking)
        self.shape = ShapeView(theme, session, self.running, self.shaping)
        self.align = AlignView(theme, session, self.measuring, self.taking)
        self.review = ReviewView(theme, session, self.taking, self.playback)
        self.soundcheck = SoundcheckView(theme, session, self.checking, self.hours)
        places = (self.gather, self.share, self.shape, self.align, self.review, self.soundcheck)
        self.places: dict[str, Place] = {p.id: p for p in places}
        self.deck = Deck(theme, [(p.id, p.name) for p in places if p.name])
        self.overview = Overview(self.deck, self.places, session, self.running, self.checking, self.taking)
        self.stack = QStackedWidget()
        for place in self.places.values():
            self.stack.addWidget(place)
        self.strip = Strip(theme, session, self.running, self.taking, self.desktop)
        self.otherwise = Otherwise(self)
        self._assemble()
        self._connect()
        self.setAcceptDrops(True)
        self.taking.find()
        self.checking.renew()
        self._offer_what_is_left()
        self._look_for_a_desktop()
        self.go_to("gather" if self.gather.empty else "align")
        if self.gather.empty:
            self.gather.start.focus_first()
        else:
            self.setFocus()

    def _look_for_a_desktop(self) -> None:
        """An empty page offers this computer where it can carry sound."""
        if self.gather.empty:
            self.desktop.look()

    def _offer_what_is_left(self) -> None:
        """A crash left edits of the very file that was opened: offered, never put in its place unasked."""
        path = self.session.path
        left = self.documents.left_of(path) if path is not None else None
        if path is not None and left is not None:
            text = f"Brucke ended unexpectedly with edits of {path.name} that were not saved."
            self.notice.offer(text, "amber", "Bring them back", lambda: self.documents.bring_back(*left))

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
        self.deck.menu.clicked.connect(self._show_menu)
        self.deck.start.clicked.connect(lambda: self.do("start_stop"))
        self.deck.live.clicked.connect(lambda: self.do("on_air"))
        self.deck.check.clicked.connect(lambda: self.do("soundcheck"))
        self.gather.opens.connect(lambda: self.do("open"))
        self.gather.opened.connect(self.open_file)
        self.share.shows.connect(self.strip.choose)
        self.share.in_align.connect(self._show_in_align)
        for place in (self.share, self.soundcheck):
            place.by_hand.connect(self.doing.by_hand)
        self.soundcheck.left.connect(self.leave_check)
        self.strip.chose.connect(self._show_listener)
        self.align.shows.connect(self.strip.choose)
        self.align.asks.connect(self.do)
        self.review.shows.connect(self.strip.choose)
        self.desktop.changed.connect(lambda: self.gather.start.offer_here(self.desktop.there))
        self.desktop.moved.connect(self.running.moved)
        self.desktop.carried = lambda: self.running.carried
        self.session.replaced.connect(self._look_for_a_desktop)
        self.session.went.connect(self._went)
        self.session.noticed.connect(self.notice.say)
        for signal in (
            self.session.changed,
            self.desktop.changed,
            self.running.changed,
            self.taking.changed,
            self.measuring.changed,
            self.checking.changed,
        ):
            signal.connect(self.refresh)
        self.taking.proved.connect(self._proved)
        self.hours.found.connect(self._say_different)
        self.goodbye.said.connect(self._said_goodbye)
        self.measuring.changed.connect(self._say_measuring)
        self.theme.changed.connect(self._compact)
        self.clock = FrameClock(self)
        for part in (
            self.running,
            self.desktop,
            self.measuring,
            self.taking,
            self.playback,
            self.checking,
            self.shaping,
            self.goodbye,
            self.headphones,
            self.hours,
            self.otherwise,
        ):
            self.clock.tick.connect(part.tick)
        self.clock.tick.connect(self._frame)

    def _show_menu(self) -> None:
        show_menu(self.deck.menu, self.actions_table, self.documents.recent(), self.open_file)

    # Places

    def go_to(self, place: str) -> None:
        if place == "soundcheck" and self.place != "soundcheck":
            self._before_check = self.place
        for id, other in self.places.items():
            if id != place:
                other.leave()
        self.stack.setCurrentWidget(self.places[place])
        for id, span in self.deck.spans.items():
            span.setChecked(id == place)
        self.refresh()

    def leave_check(self) -> None:
        """Back from the soundcheck to where one came from."""
        self.go_to(self._before_check)

    @property
    def place(self) -> str:
        return next(id for id, w in self.places.items() if w is self.stack.currentWidget())

    def _show_listener(self, listener: str) -> None:
        """In the place that is shown where it can, else in Align."""
        if not self.places[self.place].choose_listener(listener):
            self.align.choose_listener(listener)

    def _show_in_align(self, listener: str, part: str) -> None:
        self.go_to("align")
        self.align.choose_listener(listener)
        self.align.choose_part(part)

    def _say_measuring(self) -> None:
        m = self.measuring
        if self.place == "align":
            return
        if m.state == "counting":
            self.notice.say(f"{m.count} … hold a headphone to the microphone.", "amber")
        elif m.busy:
            self.notice.say("Measuring. Everyone else hears silence for a moment.", "amber")
        elif m.message:
            self.notice.say(m.message, "coral" if m.failed else "water")

    def _went(self, place: str, thing: str, what: str) -> None:
        if place in self.places:
            self.go_to(place)
            self.places[place].go_to(thing)
        self.notice.say(what, "mute")

    def _say_different(self) -> None:
        if self.hours.then is not None and self.place != "soundcheck":
            text = since_text(self.hours.then, len(self.hours.changes))
            self.notice.offer(text, "amber", "Show", lambda: self.do("soundcheck"))

    def _said_goodbye(self) -> None:
        hears = self.strip.hears_text() if self.strip.heard() else ""
        self.notice.say(goodbye_text(self.session.setup, hears), "water")

    def _proved(self) -> None:
        if not self.session.live.on_air:
            self.go_to("review")
        self.notice.say("The take is measured. B changes between before and now.", "water")

    # What is shown

    def refresh(self) -> None:
        session = self.session
        star = " (unsaved)" if session.unsaved else ""
        self.setWindowTitle(f"{session.setup.name}{star} – Brucke")
        self.overview.refresh()
        self.strip.setVisible(bool(session.setup.parts or session.setup.listeners))
        self.strip.choose(self.places[self.place].listener or self.align.listener)

    def _frame(self) -> None:
        self._ticks += 1
        if self._ticks % 15 == 0:
            self.overview.show_facts()
            if self.running.playing and not self.overview.heard_music:
                self.refresh()

    # Files

    def _free_to_leave(self) -> bool:
        """Another document only where nothing goes out and nothing is being recorded."""
        if self.session.live.on_air:
            self.notice.say("On air, no other setup is opened. Close first (F9).", "amber")
            return False
        if self.taking.state != "idle":
            self.notice.say("A take is being made. End it first (R), then open another setup.", "amber")
            return False
        return True

    def _end_typing(self) -> None:
        """What was typed into a field and not left yet counts."""
        typing = self.focusWidget()
        if typing is not None:
            typing.clearFocus()
            self.setFocus()

    def file(self, id: str) -> None:
        self._end_typing()
        if id in ("new", "open", "import", "double") and not self._free_to_leave():
            return
        done = {
            "new": self.filing.new, "open": self.filing.open, "save": self.filing.save,
            "save_as": self.filing.save_as, "double": self.filing.double, "export": self.filing.export,
            "import": self.filing.import_, "name": self.filing.name,
        }[id]()  # fmt: skip
        if id == "new" and done:
            self.go_to("gather")
            self.gather.start.focus_first()
        self.refresh()

    def open_file(self, path: Path) -> bool:
        return self._free_to_leave() and self.filing.open_file(path)

    def dragEnterEvent(self, e: QDragEnterEvent | None) -> None:
        data = e.mimeData() if e is not None else None
        if e is not None and data is not None and data.hasUrls():
            e.acceptProposedAction()

    def dropEvent(self, e: QDropEvent | None) -> None:
        """Setups are opened; anything else becomes a backing track."""
        data = e.mimeData() if e is not None else None
        files = [Path(u.toLocalFile()) for u in data.urls() if u.isLocalFile()] if data is not None else []
        setup = next((f for f in files if f.name.endswith((".json", ".zip"))), None)
        if setup is not None:
            self.open_file(setup)
        elif files:
            self.go_to("gather")
            self.gather.take_files(files)

    def resizeEvent(self, e: QResizeEvent | None) -> None:
        super().resizeEvent(e)
        self._compact()

    def _compact(self) -> None:
        compact = self.height() < self.theme.tokens.px(COMPACT_PX)
        self.deck.set_compact(compact)
        self.strip.set_compact(compact)

    def asked_for(self, file: Path | None) -> None:
        """Somebody has started Brucke once more: to the front, with the file that was given."""
        self.to_front()
        if file is not None and file != self.session.path and self._free_to_leave():
            self.filing.open_file(file)

    def to_front(self) -> None:
        self.setWindowState(self.windowState() & ~Qt.WindowState.WindowMinimized)
        self.show()
        self.raise_()
        self.activateWindow()

    def changeEvent(self, e: QEvent | None) -> None:
        super().changeEvent(e)
        if self.hiding is not None and e is not None and e.type() == QEvent.Type.WindowStateChange:
            self.hiding.see()

    def showEvent(self, e: QShowEvent | None) -> None:
        super().showEvent(e)
        if self.hiding is not None:
            self.hiding.see()

    def open_home(self) -> None:
        if self.hiding is None:
            self.notice.say("The demo ends with its window: it is at home nowhere.", "amber")
        else:
            self.hiding.choose(self.theme, self)

    def leave(self) -> None:
        """Quit: closing does not hide it."""
        self._leaves = True
        self.close()
        self._leaves = False

    def end_now(self) -> None:
        """Asked from outside to end: nothing is asked, and what is not saved stays kept aside."""
        self._asked = False
        self.close()
        QApplication.quit()

    def closeEvent(self, e: QCloseEvent | None) -> None:
        self._end_typing()
        if e is not None and self._asked and not self._may_end():
            e.ignore()
            return
        if e is None or not self._asked:
            self.documents.keep_now()
        self.hide()
        self.settings.setValue("geometry", self.saveGeometry())
        self.otherwise.close()
        self.taking.close()
        self.playback.close()
        self.running.end()
        self.desktop.end()
        self.documents.close(leave=not self._asked)
        self.shaping.close()
        if self.hiding is not None:
            self.hiding.end()
        super().closeEvent(e)
        self.ended.emit()

    def _may_end(self) -> bool:
        if not self._leaves and self.hiding is not None and not self.hiding.closes():
            return False
        return self.filing.may_leave()
