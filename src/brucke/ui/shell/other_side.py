"""The card for the other side: to read, to copy, to print, or as a page to send."""

from pathlib import Path

from PyQt6.QtGui import QGuiApplication
from PyQt6.QtWidgets import QDialog, QFileDialog, QVBoxLayout, QWidget

from ...core.document.setup import Listener, Setup
from ...words.remote_card import card_sentences, card_text, card_title
from ...words.timing import listener_name
from ...words.translation import _
from ..kit.button import Button
from ..kit.card import Card
from ..kit.chips import Chips
from ..kit.label import Words
from ..kit.page import KINDS, save_page, text_page
from ..kit.row import ends
from ..theme.theme import Theme


class OtherSideDialog(QDialog):
    def __init__(self, theme: Theme, setup: Setup, listeners: tuple[Listener, ...], moment: str, parent: QWidget):
        super().__init__(parent)
        self.setWindowTitle(_("A card for the other side"))
        self.resize(640, 460)
        self._setup, self._moment = setup, moment
        self.listener = listeners[0]
        names = [(x.id, listener_name(setup, x.id)) for x in listeners]
        self.which = Chips(theme, _("Call"), names, self._choose)
        self.which.setVisible(len(listeners) > 1)
        self._listeners = listeners
        card = Card(theme)
        self.title = Words(theme, "name", "water")
        self.lines = [Words(theme, "body") for _i in range(6)]
        for w in (self.title, *self.lines):
            card.column.addWidget(w)
        self.said = Words(theme, "small", "water")
        self.copy = Button(theme, _("Copy"), "primary")
        self.print, self.save = Button(theme, _("Print…")), Button(theme, _("Save as a page…"))
        self.away = Button(theme, _("Close"), "plain", "Esc")
        self.copy.clicked.connect(self._copy)
        self.print.clicked.connect(self._print)
        self.save.clicked.connect(self._save)
        self.away.clicked.connect(self.reject)
        column = QVBoxLayout(self)
        column.addWidget(self.which)
        column.addWidget(card)
        column.addWidget(self.said)
        column.addStretch(1)
        column.addLayout(ends(self.copy, self.print, self.save, right=self.away))
        self._choose(self.listener.id)
        self.copy.setFocus()

    @property
    def text(self) -> str:
        return card_text(self._setup, self.listener, self._moment)

    def _choose(self, id: str) -> None:
        self.listener = next(x for x in self._listeners if x.id == id)
        self.which.show_on(id)
        self.title.say(card_title(self._setup, self.listener))
        first, *rest = card_sentences(self._setup, self.listener, self._moment)
        for words, text in zip(self.lines, [first, *(f"{i + 1}. {s}" for i, s in enumerate(rest))], strict=True):
            words.say(text)

    def _copy(self) -> None:
        clipboard = QGuiApplication.clipboard()
        if clipboard is not None:
            clipboard.setText(self.text)
            self.said.say(_("Copied. Send it to them before the hour."))

    def _print(self) -> None:
        from PyQt6.QtPrintSupport import QPrintDialog, QPrinter

        printer = QPrinter(QPrinter.PrinterMode.HighResolution)
        if QPrintDialog(printer, self).exec() == QDialog.DialogCode.Accepted:
            text_page(self.text).print(printer)
            self.said.say(_("Given to the printer."))

    def _save(self) -> None:
        start = str(Path.home() / f"{listener_name(self._setup, self.listener.id)}.pdf")
        name, _kinds = QFileDialog.getSaveFileName(self, _("Save as a page"), start, KINDS)
        if name:
            self.said.say(save_page(text_page(self.text), Path(name)))
