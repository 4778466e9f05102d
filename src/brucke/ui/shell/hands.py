"""What hands need while somebody hears: mute me, silence, goodbye, always in the same place, by keys that nobody
types."""

import time
from collections.abc import Callable
from typing import Protocol

from msgspec.structs import replace
from PyQt6.QtCore import QEvent, QObject, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QKeySequence
from PyQt6.QtWidgets import QAbstractButton, QApplication, QLineEdit, QPlainTextEdit, QTextEdit, QWidget

from ...app.session.session import Session
from ...core.routing.person import own_microphone
from ...words.mishaps import HELD
from ...words.translation import _
from ..kit.button import Button
from ..theme.theme import Theme
from .actions import Actions
from .deck import Deck
from .notice import Notice

STUCK_S = 30.0  # a key that is held so long may stick
HELD_S = 0.4  # a key held longer mutes for as long as it is held
SAID_AGAIN_S = 8.0
TYPED_TEXT = _(
    "They hear you: what is typed here changes nothing. F9 lets nobody hear, F10 silence, F11 mutes you, F12 goodbye; "
    "others take Ctrl (F1)."
)
TYPED = (Qt.Key.Key_Space, Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Backspace, Qt.Key.Key_Delete)
FIELDS = (QLineEdit, QPlainTextEdit, QTextEdit)
ROW = ("on_air", "silence", "mute_me", "goodbye")
BY_HAND = (Qt.FocusReason.MouseFocusReason, Qt.FocusReason.TabFocusReason, Qt.FocusReason.BacktabFocusReason)

LOOKED_AT = frozenset(
    (
        QEvent.Type.FocusIn,
        QEvent.Type.MouseButtonPress,
        QEvent.Type.WindowDeactivate,
        QEvent.Type.KeyPress,
        QEvent.Type.KeyRelease,
    )
)


def app() -> QApplication:
    found = QApplication.instance()
    assert isinstance(found, QApplication)
    return found


class Handed(Protocol):
    """The window that hands are on."""

    theme: Theme
    session: Session
    notice: Notice
    actions_table: Actions

    def do(self, id: str) -> None: ...


class Hands:
    """The three buttons, which the deck places; the key that mutes; and, while somebody hears, no key that is typed."""

    def __init__(self, window: Handed, parent: Deck):
        theme, do = window.theme, window.do
        self.w, self.session, self._deck = window, window.session, parent
        self.held = HeldKey(
            lambda: window.actions_table.by_id["mute_me"].shortcut(), self.toggle_mute, lambda: self.muted
        )
        self.held.sticks.connect(self._say_stuck)
        assert isinstance(window, QWidget)
        self.typing = TypingGuard(window, window.notice, window.actions_table)
        self.mute = Button(theme, _("Mute me"), "outline", "F11", parent)
        self.silence = Button(theme, _("Silence"), "outline", "F10", parent)
        self.goodbye = Button(theme, _("Goodbye"), "outline", "F12", parent)
        self.buttons = parent.hands = (self.mute, self.silence, self.goodbye)
        for b in (self.mute, self.silence):
            b.setCheckable(True)
            b.setAutoExclusive(False)
        self.mute.clicked.connect(self.toggle_mute)
        self.silence.clicked.connect(lambda: do("silence"))
        self.goodbye.clicked.connect(lambda: do("goodbye"))

    @property
    def muted(self) -> bool:
        mine = own_microphone(self.session.setup)
        return mine is not None and mine.id in self.session.live.muted

    def refresh(self) -> None:
        live, mine, muted = self.session.live, own_microphone(self.session.setup), self.muted
        self.w.actions_table.set_heard(live.on_air)
        self.w.theme.show_letters(not live.on_air)
        self.typing.watch(live.on_air)
        self.mute.setProperty("absent", mine is None)
        self.mute.setText(f"{mine.name} muted" if muted and mine else f"Mute {mine.name}" if mine else _("Mute me"))
        self.silence.setText(_("End silence") if live.silent else _("Silence"))
        for button, on in ((self.mute, muted), (self.silence, live.silent)):
            button.setChecked(on)
            button.updateGeometry()
        self._deck.place_hands()

    def _say_stuck(self) -> None:
        mine = own_microphone(self.session.setup)
        if mine is not None and self.muted:
            said = HELD.format(seconds=round(STUCK_S), part=mine.name)
            self.session.stands.emit(said, "coral", lambda: self.held.holds and self.muted)

    def toggle_mute(self) -> None:
        """Nobody hears this person, or again."""
        mine, live = own_microphone(self.session.setup), self.session.live
        if mine is None:
            self.session.noticed.emit(_("There is no microphone in this setup to mute."), "amber")
            return
        self.session.set_live(replace(live, muted=live.muted ^ {mine.id}))


class HeldKey(QObject):
    """Tapped, a key changes over; held, it is so for as long as it is held. `keys` are those in force, `change` changes
    it over, `is_on` tells whether it is on now. `sticks` once it is held for STUCK_S."""

    sticks = pyqtSignal()

    def __init__(self, keys: Callable[[], QKeySequence], change: Callable[[], None], is_on: Callable[[], bool]):
        super().__init__()
        self._keys, self._change, self._is_on = keys, change, is_on
        self._since, self._after = 0.0, False
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.timeout.connect(self.sticks)

    def pressed(self) -> None:
        """By its shortcut; what the keyboard repeats while it is held is no press."""
        if self._since:
            return
        self._since = time.monotonic()
        self._change()
        self._after = self._is_on()
        self._timer.start(round(STUCK_S * 1e3))
        app().installEventFilter(self)

    @property
    def holds(self) -> bool:
        """Whether it is held down now."""
        return bool(self._since)

    def eventFilter(self, _seen: QObject | None, e: QEvent | None) -> bool:
        if e is not None and e.type() == QEvent.Type.KeyRelease and self._since:
            assert isinstance(e, QKeyEvent)
            if not e.isAutoRepeat() and QKeySequence(e.key()) == self._keys():
                held = time.monotonic() - self._since
                self._let_go()
                if held > HELD_S and self._is_on() == self._after:
                    self._change()
        elif e is not None and e.type() == QEvent.Type.ApplicationDeactivate:
            self._let_go()  # its release is not seen any more: as it was tapped
        return False

    def _let_go(self) -> None:
        self._since = 0.0
        self._timer.stop()
        app().removeEventFilter(self)


class TypingGuard(QObject):
    """While somebody hears, what is typed into the window changes nothing, wherever it goes: only a field that was
    chosen since the window came to the front takes it. Ctrl with Space or Enter presses what is chosen."""

    def __init__(self, window: QWidget, notice: Notice, actions: Actions):
        super().__init__(window)
        self.window, self.notice, self.actions = window, notice, actions
        self._chosen: QWidget | None = None
        self._said = -SAID_AGAIN_S
        self._on = False

    def watch(self, heard: bool) -> None:
        """Every event of the program passes here while somebody hears, and none while nobody does."""
        if heard != self._on:
            self._on, self._chosen = heard, None
            (app().installEventFilter if heard else app().removeEventFilter)(self)

    def eventFilter(self, seen: QObject | None, e: QEvent | None) -> bool:
        if e is None or (kind := e.type()) not in LOOKED_AT or not isinstance(seen, QWidget):
            return False
        if kind == QEvent.Type.FocusIn and isinstance(seen, FIELDS):
            if e.reason() in BY_HAND:  # type: ignore[attr-defined]
                self._chosen = seen
        elif kind == QEvent.Type.MouseButtonPress and isinstance(seen, FIELDS):
            self._chosen = seen
        elif kind == QEvent.Type.WindowDeactivate and seen is self.window:
            self._chosen = None
        elif kind in (QEvent.Type.KeyPress, QEvent.Type.KeyRelease):
            assert isinstance(e, QKeyEvent)
            return self._key(seen, e)
        return False

    def _row(self, e: QKeyEvent) -> bool:
        """What hands need works in a dialog, too, which would keep its window's keys from it."""
        if e.type() != QEvent.Type.KeyPress or e.isAutoRepeat():
            return False
        keys = QKeySequence(e.keyCombination())
        action = next((a for id in ROW if keys in (a := self.actions.by_id[id]).shortcuts()), None)
        if action is not None:
            action.trigger()
        return action is not None

    def _key(self, seen: QWidget, e: QKeyEvent) -> bool:
        if seen.window() is not self.window and self._row(e):
            return True
        held = e.modifiers() & (
            Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.AltModifier | Qt.KeyboardModifier.MetaModifier
        )
        typed = e.key() in TYPED or (bool(e.text()) and e.text().isprintable())
        if seen.window() is not self.window or not typed:
            return False
        if held:
            if (
                held == Qt.KeyboardModifier.ControlModifier
                and e.key() in TYPED[:3]
                and isinstance(seen, QAbstractButton)
            ):
                if e.type() == QEvent.Type.KeyPress and not e.isAutoRepeat():
                    seen.click()
                return True
            return False
        if seen is self._chosen and seen.hasFocus():
            return False
        if e.type() == QEvent.Type.KeyPress and time.monotonic() - self._said > SAID_AGAIN_S:
            self._said = time.monotonic()
            self.notice.say(TYPED_TEXT, "mute")
        return True
