"""Lines of words and buttons in a dialog."""

from collections.abc import Callable

from PyQt6.QtWidgets import QVBoxLayout, QWidget

from ..kit.button import Button
from ..kit.flow import Flow
from ..kit.label import Words
from ..theme.theme import Theme

# (key, text, whether it is on or None where it is only pressed, what it does).
Press = tuple[str, str, bool | None, Callable[[], None]]


class Rows(QWidget):
    """Lines of words and buttons, made anew where they are others."""

    def __init__(self, theme: Theme):
        super().__init__()
        self._theme, self._shown = theme, ""
        self.column = QVBoxLayout(self)
        self.column.setContentsMargins(0, 0, 0, 0)
        self.buttons: dict[str, Button] = {}

    def show_rows(self, rows: list[tuple[str, str, list[Press]]]) -> None:
        """(words, their tone, buttons)."""
        said = repr([(t, tone, [(k, b, on) for k, b, on, _do in buttons]) for t, tone, buttons in rows])
        if said == self._shown:
            return
        focused = next((k for k, b in self.buttons.items() if b.hasFocus()), "")
        self._shown, self.buttons = said, {}
        while (item := self.column.takeAt(0)) is not None:
            widget = item.widget()
            if widget is not None:
                widget.hide()
                widget.deleteLater()
        for text, tone, buttons in rows:
            self.column.addWidget(self._line(text, tone, buttons))
        if focused in self.buttons:
            self.buttons[focused].setFocus()

    def _line(
        self, text: str, tone: str, buttons: list[Press]
    ) -> QWidget:  # fmt: skip
        line = QWidget()
        flow = Flow(8, line)
        said = Words(self._theme, "body", tone, wraps=False)
        said.setText(text)
        flow.addWidget(said)
        for key, name, on, do in buttons:
            button = Button(self._theme, name, "outline" if on is None else "choice")
            button.setChecked(bool(on))
            button.setAccessibleName(f"{text} {name}".strip())
            button.clicked.connect(lambda _checked=False, do=do: do())
            self.buttons[key] = button
            flow.addWidget(button)
        return line
