"""The tokens in force, and who wants to know when they change."""

import inspect
import weakref
from collections.abc import Callable

from PyQt6 import sip
from PyQt6.QtCore import QObject, QPoint, pyqtSignal
from PyQt6.QtGui import QColor, QPalette
from PyQt6.QtWidgets import QApplication

from .fonts import font
from .tokens import LIGHT, NIGHT, SCALES, Tokens


class _Kept:
    """A function that its widget keeps, and nobody else."""

    def __init__(self, widget: QObject, do: Callable[[], object]):
        kept = widget.__dict__.setdefault("_follows", [])
        kept.append(do)
        self._widget, self._place = weakref.ref(widget), len(kept) - 1

    def __call__(self) -> Callable[[], object] | None:
        widget = self._widget()
        return widget.__dict__["_follows"][self._place] if widget is not None else None


class Theme(QObject):
    changed = pyqtSignal()
    asked = pyqtSignal(str, QPoint, object)  # what a word means; where on the screen it was pressed; on what

    def __init__(self, night: bool = False, scale: float = 1.0):
        super().__init__()
        self._followers: list[tuple[weakref.ref[QObject], Callable[[], Callable[[], object] | None]]] = []
        self.tokens: Tokens = (NIGHT if night else LIGHT).scaled(scale)
        self.letters = True  # whether keys that are typed work now, so that buttons show them

    def follow(self, widget: QObject, do: Callable[[], object]) -> None:
        """`do` with every change, for as long as `widget` is there: whoever listens leaves with it. Nothing here keeps
        it alive."""
        self._followers.append(
            (weakref.ref(widget), weakref.WeakMethod(do) if inspect.ismethod(do) else _Kept(widget, do))
        )

    def tell(self) -> None:
        """Those who are still there: something that all of them show has changed."""
        followers, self._followers = self._followers, []
        for widget, do in followers:
            there, call = widget(), do()
            if there is not None and call is not None and not sip.isdeleted(there):
                self._followers.append((widget, do))
                call()

    def set(self, night: bool | None = None, scale: float | None = None) -> None:
        base = self.tokens.name == "night" if night is None else night
        self.tokens = (NIGHT if base else LIGHT).scaled(self.tokens.scale if scale is None else scale)
        self.apply()
        self.tell()
        self.changed.emit()

    def show_letters(self, on: bool) -> None:
        if on != self.letters:
            self.letters = on
            self.tell()

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
