"""Numbers that are typed or nudged and always show their unit, and short texts."""

from PyQt6.QtCore import QEvent, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QFocusEvent, QKeyEvent, QPainter, QPaintEvent, QPalette, QPen, QValidator
from PyQt6.QtWidgets import QAbstractSpinBox, QDoubleSpinBox, QLineEdit, QSizePolicy, QSpinBox

from ...core.units import db_to_gain, gain_to_db
from ...words.detail import in_numbers
from ..paint.sheet import colour
from ..theme.fonts import font
from ..theme.theme import Theme
from .wheel import DoubleSpinBox

MINUS = "−"


def _restyle(widget: "QDoubleSpinBox | QSpinBox | QLineEdit", theme: Theme) -> None:
    t = theme.tokens
    widget.setFont(font("strong", t.scale))
    palette = QPalette(widget.palette())
    for role, name in (
        (QPalette.ColorRole.Base, "card"),
        (QPalette.ColorRole.Text, "ink"),
        (QPalette.ColorRole.PlaceholderText, "mute"),
    ):
        palette.setColor(role, QColor(colour(t, name)))
    widget.setPalette(palette)
    widget.setMinimumHeight(round(t.px(34)))


class Line(QLineEdit):
    """A line to type in with our own edge."""

    def __init__(self, theme: Theme):
        super().__init__()
        self._line_theme = theme
        self.setFrame(False)
        self.setTextMargins(8, 0, 8, 0)

    def event(self, e: QEvent | None) -> bool:
        """While something was typed, Esc takes that back; only then it is not the window's key."""
        if isinstance(e, QKeyEvent) and e.type() == QEvent.Type.ShortcutOverride:
            taken = e.key() == Qt.Key.Key_Escape and self.isModified()
            if taken:
                e.accept()
                return True
        return super().event(e)

    def paintEvent(self, e: QPaintEvent | None) -> None:
        super().paintEvent(e)
        t = self._line_theme.tokens
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.setPen(QPen(colour(t, "water" if self.hasFocus() else "edge"), 2 if self.hasFocus() else 1.2))
        p.drawRoundedRect(QRectF(self.rect()).adjusted(1, 1, -1, -1), t.px(6), t.px(6))


def own_look(box: QDoubleSpinBox | QSpinBox, theme: Theme) -> None:
    """A number in a dialog, once its range and its unit are set: with our own edge and no arrows but those of the
    keyboard."""
    name = box.accessibleName()
    box.setLineEdit(Line(theme))
    box.setAccessibleName(name)
    box.setFrame(False)
    box.setButtonSymbols(QAbstractSpinBox.ButtonSymbols.NoButtons)

    def restyle() -> None:
        _restyle(box, theme)
        box.setMinimumWidth(box.sizeHint().width() + round(theme.tokens.px(20)))  # a hint knows of no margins

    theme.follow(box, restyle)
    restyle()


class NumberField(DoubleSpinBox):
    """Arrow keys step by one, with Shift by ten, with Alt by a tenth. `entered(value)` after every change by hand."""

    entered = pyqtSignal(float)

    def __init__(self, theme: Theme, name: str, low: float, high: float, suffix: str, digits: int = 1):
        super().__init__()
        self._theme, self._unit, self._share = theme, suffix, False
        self.setLineEdit(Line(theme))
        self.setAccessibleName(name)
        self.setRange(low, high)
        self.setDecimals(digits)
        self._show_unit()
        self.setSingleStep(1.0)
        self.setFrame(False)
        self.setKeyboardTracking(False)
        self.setButtonSymbols(QAbstractSpinBox.ButtonSymbols.NoButtons)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.valueChanged.connect(self.entered)
        theme.follow(self, self._renew)
        _restyle(self, theme)

    def _renew(self) -> None:
        _restyle(self, self._theme)
        self._show_unit()

    def _show_unit(self) -> None:
        """Decibels are said plainly as a share of the amplitude."""
        self._share = self._unit in ("dB", "dBFS") and not in_numbers()
        self.setSuffix(" %" if self._share else f" {self._unit}" if self._unit else "")

    def show_value(self, value: float) -> None:
        """Without saying that somebody entered it; left alone while somebody types."""
        if abs(value - self.value()) > 1e-9 and not (self.hasFocus() and self._typed()):
            self.blockSignals(True)
            self.setValue(value)
            self.blockSignals(False)

    def _typed(self) -> bool:
        line = self.lineEdit()
        return line is not None and line.isModified()

    def textFromValue(self, value: float) -> str:
        if self._share:
            share = 100 * db_to_gain(value)
            return f"{share:.{0 if share >= 0.95 else self.decimals()}f}"
        text = f"{abs(value):.{self.decimals()}f}"
        if float(text) == 0:
            return text
        return f"{MINUS}{text}" if value < 0 else f"+{text}" if self._unit == "dB" else text

    def valueFromText(self, text: str | None) -> float:
        try:
            return self._meant(self._number(text))
        except ValueError:
            return self.minimum() if text and text == self.specialValueText() else self.value()

    def _number(self, text: str | None) -> str:
        return (text or "").removesuffix(self.suffix()).replace(MINUS, "-").replace(",", ".").strip()

    def _meant(self, number: str) -> float:
        """ValueError for what is no number; no share at all is as soft as it goes."""
        value = float(number)
        if not self._share:
            return value
        return max(self.minimum(), gain_to_db(value / 100)) if value >= 0 else self.minimum() - 1

    def validate(self, text: str | None, pos: int) -> tuple[object, str, int]:  # type: ignore[override]
        number = self._number(text)
        if text == self.specialValueText():
            return QValidator.State.Acceptable, text or "", pos
        if number in ("", "-", "+", ".", "-."):
            return QValidator.State.Intermediate, text or "", pos
        try:
            inside = self.minimum() <= self._meant(number) <= self.maximum()
        except ValueError:
            return QValidator.State.Invalid, text or "", pos
        return (QValidator.State.Acceptable if inside else QValidator.State.Intermediate), text or "", pos

    def keyPressEvent(self, e: QKeyEvent | None) -> None:
        if e is not None and e.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            size = {Qt.KeyboardModifier.ShiftModifier: 10.0, Qt.KeyboardModifier.AltModifier: 0.1}.get(
                e.modifiers() & ~Qt.KeyboardModifier.KeypadModifier, 1.0
            )
            self.setValue(self.value() + (size if e.key() == Qt.Key.Key_Up else -size) * self.singleStep())
            return
        if e is not None and e.key() == Qt.Key.Key_Escape and self._typed():
            line = self.lineEdit()
            assert line is not None
            line.setText(f"{self.textFromValue(self.value())}{self.suffix()}")
            line.setModified(False)
            return
        super().keyPressEvent(e)
        if e is not None and e.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            e.accept()  # done here; whoever holds this field does not get the key as well


class TextField(Line):
    """A name. `entered(text)` with Enter or on leaving; Esc brings the old one back."""

    entered = pyqtSignal(str)

    def __init__(self, theme: Theme, name: str):
        super().__init__(theme)
        self._kept = ""
        self.setAccessibleName(name)
        self.setMaxLength(120)
        self.returnPressed.connect(self._enter)
        theme.follow(self, lambda: _restyle(self, theme))
        _restyle(self, theme)

    def show_text(self, text: str) -> None:
        self._kept = text
        if text != self.text() and not (self.hasFocus() and self.isModified()):
            self.setText(text)

    def _enter(self) -> None:
        if self.text() != self._kept and self.text().strip():
            self._kept = self.text()
            self.setModified(False)
            self.entered.emit(self.text())
        elif self.text() != self._kept:
            self.setText(self._kept)

    def focusOutEvent(self, e: QFocusEvent | None) -> None:
        away = (Qt.FocusReason.ActiveWindowFocusReason, Qt.FocusReason.PopupFocusReason)
        if e is None or e.reason() not in away:  # another window or a menu is no end of typing
            self._enter()
        super().focusOutEvent(e)

    def keyPressEvent(self, e: QKeyEvent | None) -> None:
        if e is not None and e.key() == Qt.Key.Key_Escape and self.isModified():
            self.setText(self._kept)
            self.setModified(False)
            return
        super().keyPressEvent(e)
