"""The tokens in force, and who wants to know when they change."""

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtGui import QColor, QPalette
from PyQt6.QtWidgets import QApplication

from .fonts import font
from .tokens import LIGHT, NIGHT, SCALES, Tokens


class Theme(QObject):
    changed = pyqtSignal()

    def __init__(self, night: bool = False, scale: float = 1.0):
        super().__init__()
        self.tokens: Tokens = (NIGHT if night else LIGHT).scaled(scale)

    def set(self, night: bool | None = None, scale: float | None = None) -> None:
        base = self.tokens.name == "night" if night is None else night
        self.tokens = (NIGHT if base else LIGHT).scaled(self.tokens.scale if scale is None else scale)
        self.apply()
        self.changed.emit()

    def toggle_night(self) -> None:
        self.set(night=self.tokens.name != "night")

    def step_scale(self, by: int) -> None:
        at = min(range(len(SCALES)), key=lambda i: abs(SCALES[i] - self.tokens.scale))
        self.set(scale=SCALES[min(max(at + by, 0), len(SCALES) - 1)])

    def apply(self) -> None:
        """Palette and font of everything that is an ordinary Qt control."""
        app = QApplication.instance()
        assert isinstance(app, QApplication)
        t = self.tokens
        palette = QPalette()
        for role, colour in (
            (QPalette.ColorRole.Window, t.paper),
            (QPalette.ColorRole.Base, t.card),
            (QPalette.ColorRole.AlternateBase, t.paper),
            (QPalette.ColorRole.Button, t.card),
            (QPalette.ColorRole.Text, t.ink),
            (QPalette.ColorRole.WindowText, t.ink),
            (QPalette.ColorRole.ButtonText, t.ink),
            (QPalette.ColorRole.PlaceholderText, t.mute),
            (QPalette.ColorRole.Highlight, t.water),
            (QPalette.ColorRole.HighlightedText, t.on_water),
            (QPalette.ColorRole.ToolTipBase, t.card),
            (QPalette.ColorRole.ToolTipText, t.ink),
            (QPalette.ColorRole.Mid, t.edge),
            (QPalette.ColorRole.Dark, t.edge),
            (QPalette.ColorRole.Light, t.card),
        ):
            palette.setColor(role, QColor(colour))
        app.setPalette(palette)
        app.setFont(font("body", t.scale))
