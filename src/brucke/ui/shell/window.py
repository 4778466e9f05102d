"""The window: deck, place, strip; what is wired to what. What its actions do is in `doing.py`."""

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QEvent, Qt, pyqtSignal
from PyQt6.QtGui import QCloseEvent, QDragEnterEvent, QDropEvent, QResizeEvent, QShowEvent
from PyQt6.QtWidgets import QApplication, QMainWindow, QVBoxLayout, QWidget

from ...app.studio import Studio
from ...words.at_home import KEEPS, LETS_GO, held_text
from ...words.good_hour import since_text
from ...words.translation import _
from ..theme.theme import Theme
from .action_handlers import ActionHandlers
from .actions import Actions
from .background_mode import BackgroundMode
from .deck import Deck
from .deck_state import DeckState
from .detail_switch import DetailSwitch
from .document_dialogs import DocumentDialogs
from .hands import Hands
from .meanings import explain_where_pressed
from .menu import show_menu
from .notice import Notice, refusals
from .place_stack import HasPlaces, PlaceStack
from .places import PLACES
from .questions import whether_agreed
from .small_window import SmallWindow
from .strip import Strip
from .tools import Tools

COMPACT_PX = 560  # below this scaled height deck and strip make room for the place


class Window(HasPlaces, QMainWindow):
    ended = pyqtSignal()
    ask_held: Callable[[str], str] = staticmethod(lambda _text: KEEPS)  # keeps, lets go or “” for staying

    def __init__(self, theme: Theme, studio: Studio):
        super().__init__()
        self.theme, self.studio = theme, studio
        self.session, self.settings, self.documents = studio.session, studio.settings, studio.documents
        self.running, self.desktop, self.steps = studio.running, studio.desktop, studio.steps
        self.measuring, self.taking, self.playback = studio.measuring, studio.taking, studio.playback
        self.checking, self.shaping, self.known_good = studio.checking, studio.shaping, studio.known_good
        self.headphones, self.goodbye, self.audience = studio.headphones, studio.goodbye, studio.audience
        self.clock, self.song_pause = studio.clock, studio.song_pause
        session, settings = studio.session, studio.settings
        explain_where_pressed(theme)
        self.detail = DetailSwitch(theme, session, settings)
        self.background_mode: BackgroundMode | None = None  # where closing it does not end it
        self._before_check, self._ticks = "gather", 0
        self.small = SmallWindow(self)
        self._asked, self._leaves, self._lets_go = True, False, False
        self.action_handlers = ActionHandlers(self)
        self.do, self.act = self.action_handlers.do, self.action_handlers.act
        self.actions_table = Actions(self, settings, self.do)
        self.notice = Notice(theme, refusals(session, self.running))
        self.document_dialogs = DocumentDialogs(self, theme, session, self.documents, self.notice)
        self.places = PlaceStack(theme, studio)
        self.deck = Deck(theme, [(p.action.id, p.name) for p in PLACES if p.name])
        self.detail.shown_on(self.deck.detail)
        self.deck_state = DeckState(
            self.deck, self.places, session, self.running, self.checking, self.taking, studio.just_happened
        )
        self.strip, self.tools = Strip(theme, session, self.running, self.taking, self.audience), Tools(self)
        self._assemble()
        self._connect()
        self.go_to("gather" if session.empty else "align")
        self.setAcceptDrops(True)
        self.taking.find()
        self.checking.renew()
        self._offer_what_is_left()
        self._look_for_a_desktop()
        if session.empty:
            self.gather.start.focus_first()
        else:
            self.setFocus()

    def _look_for_a_desktop(self) -> None:
        """An empty page offers this computer where it can carry sound."""
        if self.session.empty:
            self.desktop.look()

    def _offer_what_is_left(self) -> None:
        """A crash left edits of the very file that was opened: offered, never put in its place unasked."""
        if self.documents.brought_back:
            self.notice.say(self.documents.brought_back, "amber")
        path = self.session.path
        left = self.documents.left_of(path) if path is not None else None
        if path is not None and left is not None:
            text = _("Brucke ended unexpectedly with edits of {name} that were not saved.").format(name=path.name)
            self.notice.offer(text, "amber", _("Bring them back"), lambda: self.documents.bring_back(*left))

    def _assemble(self) -> None:
        self.hands = Hands(self, self.deck)
        body = QWidget()
        column = QVBoxLayout(body)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        for w in (self.deck, self.places, self.strip):
            column.addWidget(w, 1 if w is self.places else 0)
        self.setCentralWidget(body)
        self.notice.lie_over(self.places)
        self.setMinimumSize(800, 560)
        self.resize(1280, 800)

    def _connect(self) -> None:
        self.studio.asked_for = self.do  # by foot switches and controllers
        self.studio.acts.done.connect(self.action_handlers.say_done)
        self.deck.went.connect(self.go_to)
        self.deck.acted.connect(self.act)
        self.deck.menu.clicked.connect(self._show_menu)
        self.deck.start.clicked.connect(lambda: self.do("start_stop"))
        self.deck.live.clicked.connect(lambda: self.do("on_air"))
        self.deck.check.clicked.connect(lambda: self.do("soundcheck"))
        self.places.new.connect(self._connect_place)
        self.strip.chose.connect(self._show_listener)
        self.session.replaced.connect(self._look_for_a_desktop)
        self.session.went.connect(self._went)
        self.session.noticed.connect(self.notice.say)
        self.session.stands.connect(self.notice.stand)
        for it in (
            self.session, self.desktop, self.running, self.taking, self.measuring, self.checking,
            self.studio.just_happened,
        ):  # fmt: skip
            it.changed.connect(self.refresh)
        self.taking.proved.connect(self._proved)
        self.taking.ask_agreed = lambda part: whether_agreed(self, self.theme, self.session, part)
        self.known_good.found.connect(self._say_different)
        self.goodbye.said.connect(self._said_goodbye)
        self.measuring.changed.connect(self._say_measuring)
        self.theme.follow(self, self._compact)
        self.clock.tick.connect(self._frame)

    def _connect_place(self, id: str) -> None:
        """A place that has just been made: what it asks for is done, and the deck says how it stands."""
        wire = {
            "gather": self._connect_gather, "share": self._connect_share, "align": self._connect_align,
            "perform": self._connect_perform, "review": lambda: self.review.shows.connect(self.strip.choose),
            "soundcheck": self._connect_soundcheck,
        }.get(id)  # fmt: skip
        if wire is not None:
            wire()
        self.deck_state.say_place(id)

    def _connect_gather(self) -> None:
        gather = self.gather
        gather.opens.connect(lambda: self.do("open"))
        gather.joins.connect(lambda: self.do("two_computers"))
        gather.opened.connect(self.open_file)
        gather.guided.connect(self.detail.begin_plainly)
        gather.ends.acts.connect(self.do)
        self.desktop.changed.connect(lambda: gather.start.offer_here(self.desktop.there))
        gather.start.offer_here(self.desktop.there)

    def _connect_share(self) -> None:
        self.share.shows.connect(self.strip.choose)
        self.share.in_align.connect(self._show_in_align)
        self.share.by_hand.connect(self.action_handlers.by_hand)

    def _connect_align(self) -> None:
        self.align.shows.connect(self.strip.choose)
        self.align.asks.connect(self.do)
        self.strip.choose(self._listener_shown())

    def _connect_perform(self) -> None:
        self.perform.acts.connect(self.do)
        self.perform.mutes.connect(self.hands.toggle_mute)
        self.perform.turned.connect(self.refresh)

    def _connect_soundcheck(self) -> None:
        self.soundcheck.by_hand.connect(self.action_handlers.by_hand)
        self.soundcheck.left.connect(self.leave_check)

    def _show_menu(self) -> None:
        show_menu(self.deck.menu, self.actions_table, self.documents.recent(), self.open_file)

    # Places

    def go_to(self, place: str) -> None:
        if place == "soundcheck" and self.place != "soundcheck":
            self._before_check = self.place
        self.places.show_place(place)
        for id, span in self.deck.spans.items():
            span.setChecked(id == place)
        self.refresh()

    def leave_check(self) -> None:
        """Back from the soundcheck to where one came from."""
        self.go_to(self._before_check)

    @property
    def place(self) -> str:
        return self.places.shown

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
            said = _("{count} … hold a headphone to the microphone.").format(count=m.count)
            self.notice.stand(said, "amber", lambda: m.state == "counting" and said.startswith(f"{m.count} "))
        elif m.busy:
            said = _("Measuring. Everyone else hears silence for a moment.")
            self.notice.stand(said, "amber", lambda: m.busy and m.state != "counting")
        elif m.message:
            self.notice.say(m.message, "coral" if m.failed else "water")

    def _went(self, place: str, thing: str, what: str) -> None:
        if place in self.places:
            self.go_to(place)
            self.places[place].go_to(thing)
        self.notice.say(what, "mute")

    def _say_different(self) -> None:
        if self.known_good.then is not None and self.place != "soundcheck":
            text = since_text(self.known_good.then, len(self.known_good.changes))
            self.notice.offer(text, "amber", _("Show"), lambda: self.do("soundcheck"))

    def _said_goodbye(self) -> None:
        text = self.audience.goodbye_text()
        self.notice.say(text, "water", lambda: self.audience.goodbye_text() == text)

    def _proved(self) -> None:
        if self.action_handlers.goes_on_in_step():
            return
        if not self.session.live.on_air:
            self.go_to("review")
        both = _(" B changes between before and now.") if self.taking.against >= 0 else ""
        self.notice.say(_("The recording is measured.{both}").format(both=both), "water")

    # What is shown

    def refresh(self) -> None:
        session = self.session
        self.setWindowTitle(f"{session.setup.name}{' (unsaved)' if session.unsaved else ''} – Brucke")
        self.hands.refresh()
        self.deck_state.refresh()
        in_hour = self.place == "perform" and not self.perform.editing
        self.actions_table.set_in_hour(in_hour or (session.live.on_air and self.place != "perform"))
        # Perform says the same large.
        self.strip.setVisible(self.place != "perform" and bool(session.setup.parts or session.setup.listeners))
        self.strip.choose(self._listener_shown())

    def _listener_shown(self) -> str:
        shown = self.places[self.place].listener
        return shown or (self.align.listener if "align" in self.places.made else "")

    def _frame(self) -> None:
        self._ticks += 1
        if self._ticks % 15 == 0:
            self.notice.tick()
            self.deck_state.show_facts()
            if self.running.playing and not self.deck_state.heard_music:
                self.refresh()

    # Files

    def _end_typing(self) -> None:
        """What was typed into a field and not left yet counts."""
        typing = self.focusWidget()
        if typing is not None:
            typing.clearFocus()
            self.setFocus()

    def file(self, id: str) -> None:
        self._end_typing()
        if id in ("new", "open", "import", "double") and not self.document_dialogs.free_to_leave(
            self.taking.state == "idle"
        ):
            return
        done = {
            "new": self.document_dialogs.new, "open": self.document_dialogs.open, "save": self.document_dialogs.save,
            "save_as": self.document_dialogs.save_as, "double": self.document_dialogs.double,
            "export": self.document_dialogs.export,
            "import": self.document_dialogs.import_, "name": self.document_dialogs.name,
        }[id]()  # fmt: skip
        if id == "new" and done:
            self.go_to("gather")
            self.gather.start.focus_first()
        self.refresh()

    def open_file(self, path: Path) -> bool:
        return self.document_dialogs.free_to_leave(self.taking.state == "idle") and self.document_dialogs.open_file(
            path
        )

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
        if (
            file is not None
            and file != self.session.path
            and self.document_dialogs.free_to_leave(self.taking.state == "idle")
        ):
            self.document_dialogs.open_file(file)

    def to_front(self) -> None:
        self.setWindowState(self.windowState() & ~Qt.WindowState.WindowMinimized)
        self.show()
        self.raise_()
        self.activateWindow()

    def changeEvent(self, e: QEvent | None) -> None:
        super().changeEvent(e)
        if self.background_mode is not None and e is not None and e.type() == QEvent.Type.WindowStateChange:
            self.background_mode.see()

    def showEvent(self, e: QShowEvent | None) -> None:
        super().showEvent(e)
        if self.background_mode is not None:
            self.background_mode.see()

    def open_home(self) -> None:
        if self.background_mode is not None:
            return self.background_mode.choose(self.theme, self)
        self.notice.say(_("The demo ends with its window: it is at home nowhere."), "amber")

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
        self.tools.close()
        self.studio.end(self._lets_go, leaves_edits=not self._asked)
        if self.background_mode is not None:
            self.background_mode.end()
        super().closeEvent(e)
        self.ended.emit()

    def _may_end(self) -> bool:
        if not self._leaves and self.background_mode is not None and not self.background_mode.closes():
            return False
        if not self.document_dialogs.may_leave():
            return False
        answer = self.ask_held(held_text(self.desktop.held)) if self.desktop.held else KEEPS
        self._lets_go = answer == LETS_GO
        return bool(answer)
