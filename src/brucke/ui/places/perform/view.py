"""Perform: the live hour. Who hears what in large type, what comes next, and the keys that hands need."""

from collections.abc import Callable

from msgspec.structs import replace
from PyQt6.QtCore import pyqtSignal
from PyQt6.QtGui import QResizeEvent, QShowEvent
from PyQt6.QtWidgets import QGridLayout, QHBoxLayout, QSizePolicy, QStackedWidget, QVBoxLayout, QWidget

from ....app.studio import Studio
from ....words import perform as words
from ....words.translation import _
from ...kit.action import MOMENT_KEYS
from ...kit.button import Button
from ...kit.card import Card
from ...kit.label import Words
from ...kit.place import Place, scrolled
from ...kit.sheet_view import SheetView
from ...paint.sheet import Sheet
from ...theme.theme import Theme
from ...theme.tokens import Tokens
from .big_key import BigKey, larger
from .layout import hour_sheet, says_sheet
from .model import PerformData, own_name, perform_data
from .moment_page import MomentPage
from .order_card import OrderPage

MOST_FACTOR = 1.75
HOUR, ORDER, MOMENTS = range(3)  # pages
LOW_PX = 520.0  # below it the note gives its room to who hears what
EVERY = 6  # frames of the window's clock: five times a second


class Painted(SheetView):
    """One of the two drawings; what it says stands in its accessible name, too."""

    framed = False

    def __init__(self, theme: Theme, lay_out: Callable[..., Sheet], said: Callable[[PerformData], str]):
        super().__init__(theme)
        self._lay_out, self._said = lay_out, said
        self.data: PerformData | None = None
        self.factor = 1.0
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)

    @property
    def tokens(self) -> Tokens:
        return larger(self.theme.tokens, self.factor)

    def show_data(self, data: PerformData, key: object, shown: object) -> None:
        self.data = data
        if key != shown:
            self.setAccessibleName(self._said(data))
            self.renew()

    def make_sheet(self, width: float, height: float) -> Sheet:
        return self._lay_out(self.data, width, height, self.tokens) if self.data else Sheet(width, height)


def said_text(data: PerformData) -> str:
    listeners = "; ".join(f"{s.who} {s.hears}{f', {s.state}' if s.state else ''}" for s in data.says)
    return f"{data.moment}. {listeners}"


def _hour_said(data: PerformData) -> str:
    states = {"was": _("was"), "now": _("now"), "next": _("next"), "later": _("later")}
    return "; ".join(f"{s.name}: {states[s.state]}" for s in data.spans) or words.NO_ORDER


class PerformView(Place):
    id = "perform"

    acts = pyqtSignal(str)
    mutes = pyqtSignal()  # pressed, not held as its key can be
    turned = pyqtSignal()
    shown = pyqtSignal()  # its data are new

    def __init__(self, theme: Theme, studio: Studio):
        super().__init__(theme, studio)
        self.session, self.order = studio.session, studio.order
        self.low = self.small = False  # `small`: its small form is shown
        self.data: PerformData | None = None
        self._ticks, self._shown = 0, [object(), object()]
        self.hour = Painted(theme, hour_sheet, _hour_said)
        self.says = Painted(theme, says_sheet, said_text)
        self.note_card, self.note_of, self.note = Card(theme), Words(theme, "strong", "mute"), Words(theme, "figure")
        self.upcoming = BigKey(theme, "next")
        self.mute, self.silence = BigKey(theme, "mute"), BigKey(theme, "silence")
        self.moments: dict[str, BigKey] = {}
        self.recorder = Words(theme, "title", "mute", wraps=False)
        self.back = Button(theme, _("Back"), "plain", "Page Up")
        self.edits, self.edits_moments = (
            Button(theme, _("Edit the hour"), "plain"),
            Button(theme, _("Edit moments"), "plain"),
        )
        self.trouble_at, self.trouble = Words(theme, "title", "mute", wraps=False), Words(theme, "title", "amber")
        self.clock = Words(theme, "figure", "ink", wraps=False)
        self.page, self.moment_page = OrderPage(theme, studio, self.order.go), MomentPage(theme, studio)
        self.stack = QStackedWidget()
        self._build()
        self.upcoming.clicked.connect(lambda: self.acts.emit("line_next"))
        self.back.clicked.connect(lambda: self.acts.emit("line_back"))
        self.mute.clicked.connect(self.mutes.emit)
        self.silence.clicked.connect(lambda: self.acts.emit("silence"))
        self.edits.clicked.connect(self.toggle_table)
        self.edits_moments.clicked.connect(self.toggle_moments)
        for it in (self.session, studio.running, studio.taking, studio.desktop, self.order, studio.hour):
            it.changed.connect(self.refresh)
        self.session.rewired.connect(self._make_moments)
        studio.clock.tick.connect(self._frame)
        self._make_moments()

    def _build(self) -> None:
        t = self.theme.tokens
        self.note_card.column.addWidget(self.note_of)
        self.note_card.column.addWidget(self.note)
        left = QVBoxLayout()
        left.addWidget(self.says, 1)
        left.addWidget(self.note_card)
        self.keys = QGridLayout()
        self.keys.setSpacing(round(t.px(12)))
        self.right = right = QWidget()
        right.setLayout(self.keys)
        middle = QHBoxLayout()
        middle.setSpacing(round(t.px(28)))
        middle.addLayout(left, 1)
        middle.addWidget(right)
        live = QWidget()
        column = QVBoxLayout(live)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(round(t.px(8)))
        column.addWidget(self.hour)
        column.addLayout(middle, 1)
        edit = QWidget()
        beside = QHBoxLayout(edit)
        beside.setContentsMargins(0, 0, 0, 0)
        beside.addWidget(self.page, 1)
        card = scrolled(self.theme, self.page.card)
        self.beside = card
        beside.addWidget(card)
        self.stack.addWidget(live)
        self.stack.addWidget(edit)
        self.stack.addWidget(scrolled(self.theme, self.moment_page))
        foot = QHBoxLayout()
        foot.setSpacing(round(t.px(14)))
        foot.addWidget(self.trouble_at)
        foot.addWidget(self.trouble, 3)
        foot.addStretch(1)
        for control in (self.back, self.edits, self.edits_moments, self.clock):
            foot.addWidget(control)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(round(t.px(24)), round(t.px(10)), round(t.px(24)), round(t.px(10)))
        whole.addWidget(self.stack, 1)
        whole.addLayout(foot)
        self.theme.follow(self, self._fit)
        self._fit()

    def _fit(self) -> None:
        """The hour and the keys take a share of what there is; who hears what has the rest."""
        t = self.theme.tokens
        self.right.setFixedWidth(round(min(t.px(404) * MOST_FACTOR, self.width() * 0.33)))
        self.beside.setFixedWidth(round(min(t.px(420), self.width() * 0.45)))
        self.hour.setFixedHeight(round(min(t.px(128) * MOST_FACTOR, self.height() * 0.2)))
        self.low = self.height() < t.px(LOW_PX)
        # What is read from afar grows with the window.
        factor = min(MOST_FACTOR, max(1.0, min(self.width() / t.px(1280), self.height() / t.px(640))))
        drawn: list[Painted | BigKey] = [self.hour, self.says, self.upcoming, self.mute, self.silence]
        for big in (*drawn, *self.moments.values()):
            if big.factor != factor:
                big.factor = factor
                big.renew()
        self.note_card.setVisible(bool(self.note.text()) and not self.low)

    def resizeEvent(self, e: QResizeEvent | None) -> None:
        super().resizeEvent(e)
        self._fit()

    def _make_moments(self) -> None:
        """The next line over the whole width; below it the moments, two beside one another, then the hands."""
        while self.keys.count():
            item = self.keys.takeAt(0)
            widget = item.widget() if item is not None else None
            if widget is not None and widget in self.moments.values():
                widget.hide()
                widget.deleteLater()
        self.moments = {m.id: BigKey(self.theme, "moment") for m in self.session.setup.moments[:MOMENT_KEYS]}
        for id, key in self.moments.items():
            key.clicked.connect(lambda _checked=False, id=id: self.call_up(id))
        self.keys.addWidget(self.upcoming, 0, 0, 1, 2)
        cells = (
            [*self.moments.values(), self.mute, self.silence] if len(self.moments) > 1 else [self.mute, self.silence]
        )
        for i, key in enumerate(cells):
            self.keys.addWidget(key, 1 + i // 2, i % 2)
        self.keys.addWidget(self.recorder, 2 + len(cells) // 2, 0, 1, 2)
        self._fit()
        self.refresh()

    # Actions

    def call_up(self, id: str) -> None:
        """A moment, by its key."""
        if self.session.setup.moment(id) is not None:
            self.session.set_live(replace(self.session.live, moment=id))
        self.refresh()

    def call_up_number(self, number: int) -> None:
        ids = [m.id for m in self.session.setup.moments]
        if number < len(ids):
            self.call_up(ids[number])

    def toggle_table(self) -> bool:
        """The running order to be edited, or back."""
        self._turn(ORDER)
        return True

    def toggle_moments(self) -> None:
        """Moments to be edited, or back."""
        self._turn(MOMENTS)

    def _turn(self, page: int) -> None:
        self.stack.setCurrentIndex(HOUR if self.stack.currentIndex() == page else page)
        now = self.stack.currentIndex()
        self.edits.setText(_("Back to the hour") if now == ORDER else _("Edit the hour"))
        self.edits_moments.setText(_("Back to the hour") if now == MOMENTS else _("Edit moments"))
        for button in (self.edits, self.edits_moments):
            button.updateGeometry()
        self.refresh()
        self.turned.emit()

    @property
    def editing(self) -> bool:
        return self.stack.currentIndex() != HOUR

    def status(self) -> tuple[str, str]:
        line = self.order.line
        if line is not None:
            return words.line_name(line), "water"
        count = len(self.session.setup.order)
        return (_("{count} lines").format(count=count) if count else _("no order yet")), "mute"

    def enter(self) -> None:
        self.upcoming.setFocus()

    # What is shown

    def _frame(self) -> None:
        self._ticks += 1
        if self._ticks % EVERY == 0 and (self.isVisible() or self.small):
            self.refresh()

    @property
    def big_keys(self) -> dict[str, BigKey]:
        return {"upcoming": self.upcoming, "mute": self.mute, "silence": self.silence}

    def showEvent(self, e: QShowEvent | None) -> None:
        super().showEvent(e)
        self.refresh()

    def refresh(self) -> None:
        """Nothing is computed for nobody who looks."""
        if not (self.isVisible() or self.small):
            return
        if self.stack.currentIndex() == ORDER:
            self.page.refresh()
        elif self.stack.currentIndex() == MOMENTS:
            self.moment_page.refresh()
        data = perform_data(self.studio)
        hour, says = (data.spans, data.left), (data.moment, data.about, data.says)
        self.data = data
        self.hour.show_data(data, hour, self._shown[0])
        self.says.show_data(data, says, self._shown[1])
        self._shown = [hour, says]
        self.note_of.say(data.note_of if data.note else "")
        self.note.say(data.note)
        self.note_card.setVisible(bool(data.note) and not self.low)
        self._show_keys(data)
        self.recorder.say(data.recorder, data.recorder_tone)
        self.trouble_at.say(data.trouble[0] if not data.alarm else "")
        alarm = f"{data.alarm[:1].upper()}{data.alarm[1:]}." if data.alarm else ""
        self.trouble.say(alarm or data.trouble[1], "coral" if alarm else "amber")
        self.clock.say(data.clock)
        self.shown.emit()

    def _show_keys(self, data: PerformData) -> None:
        setup, live = self.session.setup, self.session.live
        title = _("Next: {name}").format(name=data.upcoming) if data.upcoming else words.NOTHING_NEXT
        self.upcoming.say(title, data.upcoming_about, "Page Down")
        self.upcoming.setEnabled(bool(data.upcoming))
        for i, (id, key) in enumerate(self.moments.items()):
            moment = setup.moment(id)
            if moment is not None:
                key.say(moment.name, words.moment_about(moment, setup), f"Ctrl+{i + 1}", live.moment == id)
        mine = own_name(setup)
        muted = bool(mine) and any(p.name == mine and p.id in live.muted for p in setup.parts)
        said = _("{name} muted").format(name=mine) if muted else _("Mute {name}").format(name=mine) if mine else ""
        self.mute.say(said or _("Mute me"), _("held: as long as it is held"), "F11", muted)
        self.mute.setEnabled(bool(mine))
        silence = _("End silence") if live.silent else _("Silence")
        self.silence.say(silence, _("nobody hears anything"), "F10", live.silent)
