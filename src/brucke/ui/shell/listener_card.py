"""One listener in the strip: its name, its verdict in words, its meter, how loud it is."""

import numpy as np
import numpy.typing as npt
from PyQt6.QtCore import QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen, QResizeEvent

from ...words.detail import in_numbers
from ..kit.card import paint_card
from ..kit.meter import Ballistics, MeterGeometry, meter_geometry, paint_marks, paint_meter
from ..kit.pictured import Picture
from ..kit.reachable import Reachable
from ..paint.sheet import colour
from ..theme.fonts import font, height, width
from ..theme.theme import Theme

LOUDNESS_FROM_PX = 260
LONGEST_LOUDNESS = "−88.8 LUFS"


class ListenerCard(Reachable):
    """One listener: name, verdict in words, meter. A click shows it in the place."""

    def __init__(self, theme: Theme, name: str, bars: int, has_loudness: bool = True):
        super().__init__()
        self._theme, self._bars, self._has_loudness = theme, bars, has_loudness
        self.setText(name)
        self.setCheckable(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.verdict, self.tone, self.detail = "", "water", ""
        self.folded = self.two_lines = False
        self.loudness = ""
        self.ballistics = Ballistics(bars)
        self._geometry: MeterGeometry | None = None
        self._picture = Picture()
        theme.follow(self, self._restyle)

    def _restyle(self) -> None:
        self._geometry = None
        self.updateGeometry()
        self.update()

    def say(self, verdict: str, tone: str, detail: str) -> None:
        if (verdict, tone, detail) != (self.verdict, self.tone, self.detail):
            self.verdict, self.tone, self.detail = verdict, tone, detail
            self._name()
            self.setToolTip(detail)
            self._restyle()

    def one_line_width(self) -> float:
        """What name and verdict need beside each other."""
        t = self._theme.tokens
        return width(self.text(), "name", t.scale) + width(self.verdict, "small strong", t.scale) + t.px(40)

    def minimum_width(self) -> float:
        t = self._theme.tokens
        texts = max(width(self.text(), "name", t.scale), width(self.verdict, "small strong", t.scale))
        return max(t.px(200), texts + t.px(32))

    def sizeHint(self) -> QSize:
        t = self._theme.tokens
        head = height("name", t.scale)
        if self.two_lines:
            head += height("small strong", t.scale)
        if self.folded:
            return QSize(round(self.minimum_width()), round(head + t.px(14)))
        return QSize(round(self.minimum_width()), round(head + t.px(24) + height("small", t.scale) + t.px(36)))

    def minimumSizeHint(self) -> QSize:
        return self.sizeHint()

    def geometry_of_meter(self) -> MeterGeometry:
        if self._geometry is None:
            t = self._theme.tokens
            head = t.px(10) + height("name", t.scale) + t.px(6)
            if self.two_lines:
                head += height("small strong", t.scale)
            side = t.px(14)
            on = "tint" if self.isChecked() else "card"
            wide = self.width() - 2 * side - (self._loudness_room() if self.tells_loudness else 0)
            rect = QRectF(side, head, wide, self.height() - head - t.px(6))
            self._geometry = meter_geometry(rect, self._bars, t, on)
        return self._geometry

    @property
    def tells_loudness(self) -> bool:
        """Where there is room beside the meter."""
        return self._has_loudness and not self.folded and self.width() >= self._theme.tokens.px(LOUDNESS_FROM_PX)

    def _loudness_room(self) -> float:
        return width(LONGEST_LOUDNESS, "small", self._theme.tokens.scale) + self._theme.tokens.px(12)

    def _loudness_rect(self) -> QRectF:
        g = self.geometry_of_meter()
        tall, middle = height("small", self._theme.tokens.scale), (g.bars[0].y() + g.bars[-1].bottom()) / 2
        right = self.width() - self._theme.tokens.px(14)
        return QRectF(right - self._loudness_room(), middle - tall / 2, self._loudness_room(), tall)

    def tell_loudness(self, text: str) -> None:
        """How loud it has been for the last seconds; only these words are painted again."""
        if text != self.loudness:
            self.loudness = text
            self._name()
            if self.tells_loudness:
                self.update(self._loudness_rect().toAlignedRect())

    def _name(self) -> None:
        loud = f" {self.loudness}." if self.loudness and in_numbers() else ""
        self.setAccessibleName(f"{self.text()}: {self.verdict}. {self.detail}{loud}")

    def resizeEvent(self, e: QResizeEvent | None) -> None:
        self._geometry = None
        super().resizeEvent(e)
        self.updateGeometry()

    def feed(self, peaks: "npt.NDArray[np.float32]") -> None:
        """Only the bars are painted again."""
        if self.ballistics.feed(peaks) and not self.folded:
            for bar in self.geometry_of_meter().bars:
                self.update(bar.adjusted(-1, -3, 2, 3).toRect())

    def paintEvent(self, e: QPaintEvent | None) -> None:
        p = QPainter(self)
        key = (
            self.isChecked(),
            self.hasFocus(),
            self.verdict,
            self.tone,
            self.two_lines,
            self.folded,
            in_numbers(),
            self._theme.tokens,
        )
        self._picture.show(self, p, key, self._paint_still)
        if not self.folded:
            paint_meter(p, self.geometry_of_meter(), self.ballistics, self._theme.tokens)
        if self.loudness and self.tells_loudness and in_numbers():
            p.setFont(font("small", self._theme.tokens.scale))
            p.setPen(colour(self._theme.tokens, "mute"))
            right = int(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
            p.drawText(self._loudness_rect(), right, self.loudness)

    def _paint_still(self, p: QPainter) -> None:
        t = self._theme.tokens
        paint_card(p, self._theme, QRectF(self.rect()), self.isChecked())
        side, top = t.px(14), t.px(7) if self.folded else t.px(10)
        name = height("name", t.scale)
        p.setFont(font("name", t.scale))
        p.setPen(colour(t, "ink"))
        p.drawText(QRectF(side, top, self.width() - side, name), int(Qt.AlignmentFlag.AlignLeft), self.text())
        p.setFont(font("small strong", t.scale))
        p.setPen(colour(t, self.tone))
        line = QRectF(side, top, self.width() - 2 * side, name)
        if not self.two_lines:
            p.drawText(line, int(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter), self.verdict)
        else:
            p.drawText(line.translated(0, name), int(Qt.AlignmentFlag.AlignLeft), self.verdict)
        if not self.folded:
            paint_marks(p, self.geometry_of_meter(), t)
        if self.hasFocus():
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.setPen(QPen(colour(t, "ink"), 1.5, Qt.PenStyle.DotLine))
            p.drawRoundedRect(QRectF(self.rect()).adjusted(4, 4, -4, -4), 5, 5)
