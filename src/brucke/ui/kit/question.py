"""One question, answered by one press; with a line to type in where the answer needs one."""

from collections.abc import Sequence

import msgspec
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QDialog, QVBoxLayout, QWidget

from ...words.translation import _
from ..theme.theme import Theme
from .button import Button
from .field import TextField
from .label import Words
from .row import ends

WIDE_PX = 520.0


class Line(msgspec.Struct, frozen=True):
    """A line to type into: its name, what stands there at first, and the answers that count without anything in it."""

    name: str
    filled: str = ""
    without_typing: tuple[str, ...] = ()


class Question(QDialog):
    """`answers` are (what the button says, what is answered); the first is the usual one. `answer` is empty where it
    was left unanswered, `typed` what stands in its `line`."""

    def __init__(
        self, parent: QWidget | None, theme: Theme, text: str, answers: Sequence[tuple[str, str]], more: str = "",
        line: Line | None = None, leave: str = _("Cancel"),
    ):  # fmt: skip
        super().__init__(parent)
        t = theme.tokens
        self.setWindowTitle("Brucke")
        self.setWindowModality(Qt.WindowModality.WindowModal)
        self.setMinimumWidth(round(t.px(WIDE_PX)))
        self.answer, self._without = "", set(line.without_typing if line is not None else ())
        self.text = Words(theme, "name")
        self.text.say(text)
        self.more = Words(theme, "body", "mute")
        self.more.say(more)
        self.field = TextField(theme, line.name) if line is not None else None
        self.buttons = {
            code: Button(theme, said, "outline" if i else "primary") for i, (said, code) in enumerate(answers)
        }
        self.leave = Button(theme, leave, "plain", "Esc")
        self.leave.setVisible(bool(leave))
        column = QVBoxLayout(self)
        column.setContentsMargins(24, 20, 24, 16)
        column.setSpacing(14)
        column.addWidget(self.text)
        if more:
            column.addWidget(self.more)
        if line is not None and self.field is not None:
            label = Words(theme, "small", "mute", wraps=False)
            label.say(line.name)
            column.addWidget(label)
            column.addWidget(self.field)
            self.field.setText(line.filled)
            self.field.selectAll()
            self.field.returnPressed.connect(lambda: self._give(answers[0][1]))
        column.addStretch(1)
        column.addLayout(ends(*self.buttons.values(), right=self.leave))
        for code, button in self.buttons.items():
            button.clicked.connect(lambda _checked=False, code=code: self._give(code))
        self.leave.clicked.connect(self.reject)
        (self.field or self.buttons[answers[0][1]]).setFocus()

    @property
    def typed(self) -> str:
        return self.field.text().strip() if self.field is not None else ""

    def _give(self, code: str) -> None:
        if self.field is not None and not self.typed and code not in self._without:
            self.field.setFocus()  # nothing was said yet
            return
        self.answer = code
        self.accept()


def ask_name(parent: QWidget | None, theme: Theme, text: str, answer: str, filled: str = "") -> str:
    """A name typed into one line; “” where it was left."""
    question = Question(parent, theme, text, ((answer, "given"),), line=Line(_("Name"), filled))
    question.exec()
    return question.typed if question.answer else ""


def ask(parent: QWidget | None, theme: Theme, text: str, answers: Sequence[tuple[str, str]], more: str = "") -> str:
    """One of the answers, of which the first is the usual one; “” for none."""
    question = Question(parent, theme, text, answers, more)
    question.exec()
    return question.answer
