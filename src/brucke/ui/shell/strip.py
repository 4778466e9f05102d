"""The listeners strip: the backing track, who hears you now, and every listener with its meter and its verdict."""

from msgspec.structs import replace
from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import (
    QFrame,
    QHBoxLayout,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from ...app.engine.live_engine import LiveEngine
from ...app.presence.audience import Audience
from ...app.recording.take_recorder import TakeRecorder
from ...app.session.session import Session
from ...words import timing
from ...words.open_closed import not_there_text
from ...words.shape import loudness_text
from ...words.translation import _
from ..kit.button import Button
from ..kit.flow import Flow
from ..kit.label import Words
from ..kit.wheel import Slider
from ..theme.theme import Theme
from .listener_card import ListenerCard

SILENT_LUFS = -70.0
LOUDNESS_EVERY = 10  # frames of the window's clock


class Strip(QWidget):
    chose = pyqtSignal(str)

    def __init__(self, theme: Theme, session: Session, running: LiveEngine, taking: TakeRecorder, audience: Audience):
        super().__init__()
        self.theme, self.session, self.running, self.taking = theme, session, running, taking
        self.audience = audience
        self.cards: dict[str, ListenerCard] = {}
        self.compact = False
        self._ticks = 0
        self.track = Words(theme, "small strong", "part:0", wraps=False)
        self.time = Words(theme, "small", "mute", wraps=False)
        self.play = Button(theme, _("Play"), "plain", "P")
        self.seek = Slider(Qt.Orientation.Horizontal)
        self.seek.setAccessibleName(_("Position in the backing track"))
        self.seek.setRange(0, 1000)
        self.seek.setFixedWidth(180)
        self.record = Button(theme, _("Record"), "plain", "R")
        self.hears = Words(theme, "small", "mute", wraps=False)
        self.fold = Button(theme, _("Smaller"), "plain", "F7")
        head = QWidget()
        flow = Flow(parent=head)
        self._head = flow
        self.moments: dict[str, Button] = {}
        for w in (self.track, self.time, self.play, self.seek, self.record, self.fold, self.hears):
            flow.addWidget(w)
        flow.pushed = self.hears
        self._row = QHBoxLayout()
        self._row.setContentsMargins(0, 0, 0, 0)
        inner = QWidget()
        inner.setLayout(self._row)
        self._area = QScrollArea()
        self._area.setWidget(inner)
        self._area.setWidgetResizable(True)
        self._area.setFrameShape(QFrame.Shape.NoFrame)
        self._area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self._area.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self._column = QVBoxLayout(self)
        self._column.addWidget(head)
        self._column.addWidget(self._area)
        self.play.clicked.connect(lambda: running.play(not running.playing))
        self.seek.sliderReleased.connect(self._seek)
        self.seek.actionTriggered.connect(lambda _action: self._seek() if not self.seek.isSliderDown() else None)
        self.fold.clicked.connect(self.toggle_fold)
        self.record.clicked.connect(taking.record)
        taking.changed.connect(self._show_recording)
        session.changed.connect(self.refresh)
        audience.desktop.changed.connect(self.refresh)
        session.rewired.connect(self._rebuild)
        running.changed.connect(self.refresh)
        running.levels.connect(self._levels)
        theme.follow(self, self._space)
        self._rebuild()

    def _rebuild(self) -> None:
        while self._row.count():
            item = self._row.takeAt(0)
            widget = item.widget() if item is not None else None
            if widget is not None:
                widget.hide()
                widget.deleteLater()
        self.cards = {}
        for listener in self.session.setup.listeners:
            card = ListenerCard(self.theme, listener.name, min(2, listener.channels), listener.channels <= 2)
            card.clicked.connect(lambda _checked=False, id=listener.id: self.chose.emit(id))
            self.cards[listener.id] = card
            self._row.addWidget(card, 1)
        for chip in self.moments.values():
            chip.hide()
            chip.deleteLater()
        self.moments = {m.id: Button(self.theme, m.name, "chip") for m in self.session.setup.moments}
        for id, chip in self.moments.items():
            chip.setToolTip(f"Moment: {chip.text()}")
            chip.clicked.connect(lambda _checked=False, id=id: self.choose_moment(id))
        shown = list(self.moments.values()) if len(self.moments) > 1 else []
        while self._head.count():
            self._head.takeAt(0)
        for w in (self.track, self.time, self.play, self.seek, self.record, *shown, self.fold, self.hears):
            self._head.addWidget(w)
        self._space()
        self.refresh()

    def choose_moment(self, id: str) -> None:
        """Call up a moment: its mutes, gains and delay policy."""
        self.session.set_live(replace(self.session.live, moment=id))

    def next_moment(self) -> None:
        ids = list(self.moments)
        if ids:
            at = ids.index(self.session.live.moment) if self.session.live.moment in ids else -1
            self.choose_moment(ids[(at + 1) % len(ids)])

    def _space(self) -> None:
        t = self.theme.tokens
        side = round(t.px(24))
        self._column.setContentsMargins(side, round(t.px(8)), side, round(t.px(10)))
        self._column.setSpacing(round(t.px(6)))
        self._row.setSpacing(round(t.px(16)))
        self._fit()

    def set_compact(self, compact: bool) -> None:
        """Little height: one line, the track's time and button, moments, and who hears you."""
        if compact != self.compact:
            self.compact = compact
            for w in (self.track, self.fold, self._area):
                w.setVisible(not compact)
            self.seek.setVisible(not compact and not self.play.isHidden())
            self._fold(compact)

    def _fit(self) -> None:
        shared = (self.width() - 2 * self.theme.tokens.px(24) + self._row.spacing()) / max(1, len(self.cards))
        two = any(
            c.one_line_width() > max(shared - self._row.spacing(), c.minimum_width()) for c in self.cards.values()
        )
        for card in self.cards.values():
            if card.two_lines != two:
                card.two_lines = two
                card._restyle()
        tall = max((c.sizeHint().height() for c in self.cards.values()), default=40)
        wide = sum(c.sizeHint().width() for c in self.cards.values()) + self._row.spacing() * max(
            0, len(self.cards) - 1
        )
        room = self.width() - 2 * round(self.theme.tokens.px(24))
        bar = self._area.horizontalScrollBar()
        extra = bar.sizeHint().height() + 2 if bar is not None and wide > room else 0
        self._area.setFixedHeight(tall + extra)

    def resizeEvent(self, e: QResizeEvent | None) -> None:
        super().resizeEvent(e)
        self._fit()

    @property
    def chosen(self) -> str:
        """The listener that is marked, “” where none is."""
        return next((id for id, card in self.cards.items() if card.isChecked()), "")

    def choose(self, listener: str) -> None:
        for id, card in self.cards.items():
            if card.isChecked() != (id == listener):
                card.setChecked(id == listener)
                card._restyle()

    def _show_recording(self) -> None:
        text = self.taking.record_text
        if text != self.record.text():
            self.record.setText(text)
            self.record.updateGeometry()
        if self.audience.hears_text() != self.hears.text():
            self.refresh()

    def toggle_fold(self) -> None:
        self._fold(not next(iter(self.cards.values())).folded if self.cards else False)

    def _fold(self, folded: bool) -> None:
        for card in self.cards.values():
            card.folded = folded
            card._restyle()
        self.fold.setText(_("Larger") if folded else _("Smaller"))
        self._fit()

    def refresh(self) -> None:
        setup = self.session.setup
        for t in self.session.timing.listeners:
            card = self.cards.get(t.listener)
            if card is not None:
                tone = "coral" if timing.needs_you(t.verdict) else "water"
                detail = timing.verdict_detail(setup, t, self.session.facts)
                gone = self._not_there(t.listener)
                card.say(gone or timing.verdict_text(setup, t.verdict), "coral" if gone else tone, detail)
        for id, chip in self.moments.items():
            chip.setChecked(id == self.session.live.moment)
        lead = next((p for p in setup.parts if p.kind == "lead"), None)
        self.track.say(lead.name if lead else "", f"part:{lead.colour}" if lead else "mute")
        alarm = self.audience.past_us() or self.session.facts.ends_gone
        self.hears.say(self.audience.hears_text(), "coral" if alarm else "mute")
        self._fit()
        self.transport()

    def _not_there(self, listener: str) -> str:
        """What a listener of one's own would hear by, where that is unplugged."""
        x, gone = self.session.setup.listener(listener), self.session.facts.ends_gone
        name = gone.get(x.device, ("", ""))[1] if x.kind == "monitor" else ""
        return not_there_text(name) if name else ""

    def transport(self) -> None:
        """Position and play state; called with every frame."""
        position, length = self.running.track
        text = f"{timing.clock_text(max(0.0, position))} of {timing.clock_text(length)}" if length else "stopped"
        if position < 0:
            text = _("counts in, {position:.0f} s").format(position=-position)
        plays = any(p.tracks for p in self.session.setup.parts)
        if (text if plays else "") != self.time.text():
            self.time.say(text if plays else "")
        word = _("Pause") if self.running.playing else _("Play")
        if self.play.text() != word:
            self.play.setText(word)
            self.play.updateGeometry()
        if not self.seek.isSliderDown():
            self.seek.setValue(round(position / length * 1000) if length else 0)
        self.seek.setEnabled(bool(length))
        if plays == self.play.isHidden():
            self.play.setVisible(plays)
            self.seek.setVisible(plays and not self.compact)

    def _seek(self) -> None:
        length = self.running.track[1]
        if length:
            self.running.seek(self.seek.sliderPosition() / 1000 * length)

    def _levels(self) -> None:
        for i, card in enumerate(self.cards.values()):
            if i < len(self.running.out_peaks):
                peaks = self.running.out_peaks[i]
                card.feed(peaks[: card._bars])
        self._ticks += 1
        if self._ticks % LOUDNESS_EVERY == 0:
            self._tell_loudness()
        self.transport()

    def _tell_loudness(self) -> None:
        """Short-term loudness; of listeners that get tracks apart there is none."""
        for listener, card, told in zip(
            self.session.setup.listeners, self.cards.values(), self.running.loudness, strict=False
        ):
            heard = listener.channels <= 2 and told[1] > SILENT_LUFS
            card.tell_loudness(loudness_text(float(told[1])) if heard else "")
