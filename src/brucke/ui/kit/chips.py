"""One of several, as a row of chips that wraps."""

from collections.abc import Callable, Sequence

from PyQt6.QtWidgets import QSizePolicy, QWidget

from ..theme.theme import Theme
from .button import Button
from .flow import Flow


class Chips(QWidget):
    """`chose(key)` is called when somebody picks one; which one is on is only ever shown from outside."""

    def __init__(self, theme: Theme, name: str, choices: Sequence[tuple[str, str]], chose: Callable[[str], None]):
        super().__init__()
        self._theme, self._name, self._chose = theme, name, chose
        self.setAccessibleName(name)
        self.flow = Flow(6, self)
        self.buttons: dict[str, Button] = {}
        policy = QSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Minimum)
        policy.setHeightForWidth(True)
        self.setSizePolicy(policy)
        self._choices: list[tuple[str, str]] = []
        self._on = ""
        self.offer(choices)

    def offer(self, choices: Sequence[tuple[str, str]]) -> None:
        """Other choices: (key, text)."""
        if list(choices) == self._choices:
            return
        self._choices = list(choices)
        for button in self.buttons.values():
            self.flow.removeWidget(button)
            button.hide()
            button.deleteLater()
        self.buttons = {}
        for key, text in choices:
            button = Button(self._theme, text, "choice", parent=self)
            button.setAccessibleName(f"{self._name}: {text}")
            button.clicked.connect(lambda _checked=False, key=key: self._pick(key))
            self.flow.addWidget(button)
            self.buttons[key] = button
            button.show()
        self.show_on(self._on)
        self.updateGeometry()

    def _pick(self, key: str) -> None:
        self.show_on(self._on)  # stays as it is until the setup says otherwise
        self._chose(key)

    def show_on(self, key: str) -> None:
        self._on = key
        for k, button in self.buttons.items():
            button.setChecked(k == key)

    def hasHeightForWidth(self) -> bool:
        return True

    def heightForWidth(self, width: int) -> int:
        return self.flow.heightForWidth(width)
