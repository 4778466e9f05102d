"""What else can be found out, as people ask it: a question, how it is answered, and the buttons that do it."""

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from ....words.detail import in_numbers
from ....words.tools import QUESTIONS, Question
from ...kit.button import Button
from ...kit.card import Card
from ...kit.flow import Flow
from ...kit.label import Words
from ...theme.theme import Theme
from ...tools.registry import TOOLS


class QuestionCard(Card):
    def __init__(self, theme: Theme, question: Question):
        super().__init__(theme)
        self.question = question
        text, about = Words(theme, "name", wraps=False), Words(theme, "body", "mute")
        text.setText(question.text)
        about.setText(question.about)
        head = Flow(8)
        head.addWidget(text)
        self.buttons = {
            tool.action.id: Button(theme, tool.button, "outline") for tool in TOOLS if tool.question == question.code
        }
        for button in self.buttons.values():
            head.addWidget(button)
        self.column.addLayout(head)
        self.column.addWidget(about)


class QuestionsPage(QWidget):
    """`asks(action)` when one is chosen."""

    asks = pyqtSignal(str)

    def __init__(self, theme: Theme):
        super().__init__()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(8)
        self.cards = [QuestionCard(theme, q) for q in QUESTIONS]
        for card in self.cards:
            column.addWidget(card)
            for way, button in card.buttons.items():
                button.clicked.connect(lambda _checked=False, way=way: self.asks.emit(way))
        column.addStretch(1)
        self.refresh()

    def refresh(self) -> None:
        for card in self.cards:
            card.setVisible(in_numbers() or not card.question.in_numbers)
