"""A small curve on a baseline with its peak marked: how we know."""

from PyQt6.QtCore import QRectF, QSize

from ...words.detail import in_numbers
from ...words.translation import _
from ..paint.sheet import Line, Sheet
from ..theme.fonts import height, width
from ..theme.theme import Theme
from ..theme.tokens import Tokens
from .sheet_view import SheetView


def curve_sheet(values: tuple[float, ...], label: str, w: float, h: float, t: Tokens, ink: str = "part:1") -> Sheet:
    """The correlation around its peak; the label stands beside the peak, where there is room."""
    sheet = Sheet(w, h)
    if len(values) < 3:
        return sheet
    low, high = min(-0.2, *values), max(values)
    small = height("small strong", t.scale)
    top, bottom = small * 0.4, h - t.px(4)
    peak = max(range(len(values)), key=lambda i: values[i])

    def at(i: int, v: float) -> tuple[float, float]:
        return w * i / (len(values) - 1), bottom - (v - low) / (high - low) * (bottom - top)

    zero = at(0, 0.0)[1]
    sheet.lines.append(Line(((0, zero), (w, zero)), "line"))
    x = at(peak, 0.0)[0]
    sheet.lines.append(Line(((x, top - t.px(4)), (x, bottom)), "mute", 1, dashed=True))
    sheet.lines.append(Line(tuple(at(i, v) for i, v in enumerate(values)), ink, 1.6))
    room = width(label, "small strong", t.scale) + 4
    left = x + t.px(12) if x + t.px(12) + room < w else x - room - t.px(12)
    sheet.text(QRectF(left, top, room, small), label, "small strong", "ink")
    return sheet


class Curve(SheetView):
    framed = False

    def __init__(self, theme: Theme):
        super().__init__(theme)
        self._values: tuple[float, ...] = ()
        self._label = ""

    def show_curve(self, values: tuple[float, ...], label: str) -> None:
        self._values, self._label = values, label
        self.setAccessibleName(_("Correlation, peak at {label}").format(label=label))
        self.setVisible(bool(values) and in_numbers())
        self.renew()

    def sizeHint(self) -> QSize:
        t = self.theme.tokens
        return QSize(round(t.px(200)), round(t.px(54)))

    def minimumSizeHint(self) -> QSize:
        return self.sizeHint()

    def make_sheet(self, width: float, height: float) -> Sheet:
        return curve_sheet(self._values, self._label, width, height, self.theme.tokens)
