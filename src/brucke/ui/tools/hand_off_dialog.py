"""What to enter in the program at a listener: read, copied, kept as a page; what is set there already is asked for."""

from pathlib import Path

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtGui import QGuiApplication
from PyQt6.QtWidgets import QFileDialog, QGridLayout, QVBoxLayout, QWidget

from ...app.session.session import Session
from ...core.document.ranges import RANGES
from ...core.edits.listener_edits import set_there
from ...core.timing.hand_off import HandOff, hand_off
from ...words.hand_off import handed_to, page_lines, page_text, page_title, warnings
from ...words.timing import listener_name
from ...words.translation import _
from ..kit.action import Action
from ..kit.button import Button
from ..kit.card import Card
from ..kit.chips import Chips
from ..kit.dialog import BesideWindow
from ..kit.field import own_look
from ..kit.label import Words
from ..kit.page import KINDS, save_page, text_page
from ..kit.row import ends, row
from ..kit.wheel import DoubleSpinBox
from ..theme.theme import Theme
from .film_dialog import open_film
from .tool import Tool, ToolHost

MOST_LINES = 8


class HandOffDialog(BesideWindow):
    """`films`: asked for a film, of a picture that was not measured, or of one with what was entered now."""

    films = pyqtSignal()

    def __init__(self, theme: Theme, session: Session, listener: str, parent: QWidget | None):
        super().__init__(_("To enter in the other program"), 760, 420, parent)
        self.session = session
        ends = [x.id for x in handed_to(session.setup)]
        self.listener = listener if listener in ends else ends[0]
        self.which = Chips(theme, _("For"), [(x, listener_name(session.setup, x)) for x in ends], self._choose)
        self.which.setVisible(len(ends) > 1)
        self.title = Words(theme, "name", "water")
        self.lines = [
            [Words(theme, "body"), Words(theme, "strong", "water"), Words(theme, "small", "mute")]
            for _i in range(MOST_LINES)
        ]
        self.warned, self.said = Words(theme, "body", "amber"), Words(theme, "small", "water")
        self.there = {name: DoubleSpinBox() for name in ("picture_there_ms", "sound_there_ms")}
        self.entered = Button(theme, _("I have entered these"), "primary")
        self.film = Button(theme, _("Film it"), "outline")
        self.copy, self.save = Button(theme, _("Copy")), Button(theme, _("Save as a page…"))
        self.away = Button(theme, _("Close"), "plain", "Esc")
        self._build(theme)
        self.follow(session.changed, self.refresh)
        self.refresh()
        self.copy.setFocus()

    def _build(self, theme: Theme) -> None:
        card = Card(theme)
        grid = QGridLayout()
        grid.setColumnStretch(2, 1)
        for i, cells in enumerate(self.lines):
            for k, words in enumerate(cells):
                grid.addWidget(words, i, k)
        card.column.addWidget(self.title)
        card.column.addLayout(grid)
        asked = Words(theme, "body", wraps=False)
        asked.setText(_("Set there at this moment"))
        for name, text in (("picture_there_ms", _("picture delay ")), ("sound_there_ms", _("sound offset "))):
            box, limits = self.there[name], RANGES["Listener"][name]
            box.setRange(limits.low, limits.high)
            box.setDecimals(0)
            box.setPrefix(text)
            box.setSuffix(" ms")
            box.setAccessibleName(_("Set there: {text}").format(text=text).strip())
            box.setKeyboardTracking(False)
            own_look(box, theme)
            box.valueChanged.connect(lambda _v: self._tell())
        column = QVBoxLayout(self)
        column.addWidget(self.which)
        column.addWidget(card)
        line = row(asked, *self.there.values())
        line.addStretch(1)
        column.addLayout(line)
        for w in (self.warned, self.said):
            column.addWidget(w)
        column.addStretch(1)
        column.addLayout(ends(self.entered, self.film, self.copy, self.save, right=self.away))
        self.entered.clicked.connect(self._entered)
        self.film.clicked.connect(self.films)
        self.copy.clicked.connect(self._copy)
        self.save.clicked.connect(self._save)
        self.away.clicked.connect(self.reject)

    @property
    def hand_off(self) -> HandOff:
        return hand_off(self.session.setup, self.session.timing.of(self.listener))

    @property
    def text(self) -> str:
        setup = self.session.setup
        return page_text(setup, setup.listener(self.listener), self.hand_off)

    def refresh(self) -> None:
        setup = self.session.setup
        if all(x.id != self.listener for x in setup.listeners):  # it has left, or another setup was opened
            self.reject()
            return
        h = self.hand_off
        listener = setup.listener(self.listener)
        self.which.show_on(self.listener)
        self.title.say(page_title(setup, listener))
        said = page_lines(setup, listener, h)
        for cells, texts in zip(self.lines, [*said, *[("", "", "")] * MOST_LINES], strict=False):
            for words, text in zip(cells, texts, strict=True):
                words.say(text)
        for name, box in self.there.items():
            box.blockSignals(True)
            box.setValue(getattr(listener, name))
            box.blockSignals(False)
        self.warned.say(" ".join(warnings(setup, listener, h)))
        self.entered.setVisible(h.pictured and h.known and not h.entered)
        self.film.setVisible(h.pictured and not self.entered.isVisibleTo(self))
        self.film.setText(_("Film it again: is it right?") if h.known else _("Film it"))

    def _choose(self, listener: str) -> None:
        self.listener = listener
        self.said.say("")
        self.refresh()

    def _set(self, picture_ms: float, sound_ms: float, label: str) -> None:
        setup = self.session.setup
        self.session.edit(label, set_there(setup, self.listener, picture_ms, sound_ms), "align", f"{self.listener}/")

    def _tell(self) -> None:
        name = listener_name(self.session.setup, self.listener)
        self._set(
            self.there["picture_there_ms"].value(),
            self.there["sound_there_ms"].value(),
            _("what is set at {name}").format(name=name),
        )

    def _entered(self) -> None:
        h = self.hand_off
        self._set(
            h.picture_ms,
            h.sound_ms,
            _("entered at {listener}").format(listener=listener_name(self.session.setup, self.listener)),
        )
        self.said.say(
            _("Noted: it counts as a step of the way there from now on. A new film tells whether it is right.")
        )
        self.film.setFocus()

    def _copy(self) -> None:
        clipboard = QGuiApplication.clipboard()
        if clipboard is not None:
            clipboard.setText(self.text)
            self.said.say(_("Copied."))

    def _save(self) -> None:
        start = str(Path.home() / f"{listener_name(self.session.setup, self.listener)}.pdf")
        name, _kinds = QFileDialog.getSaveFileName(self, _("Save as a page"), start, KINDS)
        if name:
            self.said.say(save_page(text_page(self.text), Path(name)))


def _open(host: ToolHost) -> None:
    session = host.studio.session
    if not handed_to(session.setup):
        session.noticed.emit(
            _("There is no call and no stream in this setup, so nothing to enter elsewhere. Share adds one (A)."),
            "amber",
        )
        return
    dialog = HandOffDialog(host.theme, session, host.listener, host.parent)
    dialog.films.connect(lambda: open_film(host, anew=True))
    host.show(dialog)


HAND_OFF = Tool(Action("hand_off", _("What to enter in the other program…")), "enter", _("Show the list…"), _open)
