"""Voice above the line, music below it, the voice moved by what stands: where something begins in both, the edges
meet."""

import numpy as np
import numpy.typing as npt
from PyQt6.QtCore import QRectF, QSize, pyqtSignal
from PyQt6.QtGui import QMouseEvent

from ...takes.two_sounds import TwoSounds
from ...words.timing import ms_text
from ...words.translation import _
from ..kit.sheet_view import SheetView
from ..paint.ruler import marks, round_step
from ..paint.sheet import Line, Sheet
from ..theme.fonts import height, width
from ..theme.theme import Theme
from ..theme.tokens import Tokens

F32 = npt.NDArray[np.float32]
SHOWN_S = 2.0
VOICE, MUSIC = "part:1", "part:0"


def columns(sound: F32, rate_hz: int, begin_s: float, count: int) -> F32:
    """The peak of each of `count` equal pieces of SHOWN_S from `begin_s`, 0 where there is no sound."""
    edges = np.round((begin_s + np.linspace(0, SHOWN_S, count + 1)) * rate_hz).astype(int)
    inside = np.clip(edges, 0, len(sound))
    peaks = np.zeros(count, np.float32)
    for k in range(count):
        piece = sound[inside[k] : inside[k + 1]]
        if len(piece):
            peaks[k] = np.abs(piece).max()
    return peaks


def waves_sheet(sounds: TwoSounds, begin_s: float, later_s: float, w: float, h: float, t: Tokens) -> Sheet:
    """Both from `begin_s` of the music on, the voice drawn that much earlier than it was recorded."""
    sheet = Sheet(w, h)
    pad, small = t.px(14), height("small", t.scale)
    label = max(width(x, "small strong", t.scale) for x in ("voice", "music")) + t.px(12)
    x0, x1 = pad + label, w - pad
    top, bottom = pad, h - small - t.px(8)
    middle = (top + bottom) / 2
    step = round_step(SHOWN_S * 1e3, max(2, int((x1 - x0) / (width("0000", "small", t.scale) + t.px(30)))))
    for ms in marks(0, SHOWN_S * 1e3, step):
        x = x0 + (x1 - x0) * ms / (SHOWN_S * 1e3)
        sheet.grid.append(Line(((x, top), (x, bottom)), "line"))
        room = width(f"{ms:g}", "small", t.scale) + 4
        sheet.text(
            QRectF(min(x - room / 2, w - room), bottom + t.px(4), room, small), f"{ms:g}", "small", "mute", "centre"
        )
    sheet.text(QRectF(pad, bottom + t.px(4), label, small), "ms", "small", "mute")
    count = max(2, round(x1 - x0))
    voice = columns(sounds.voice, sounds.rate_hz, begin_s + later_s, count)
    music = columns(sounds.music, sounds.rate_hz, begin_s, count)
    each, half = (x1 - x0) / count, (bottom - top) / 2 - 2
    for peaks, ink, up in ((voice, VOICE, True), (music, MUSIC, False)):
        loud = float(peaks.max()) or 1.0
        high = (peaks / loud * half).tolist()
        edge = [(x0 + (k + 0.5) * each, middle - v if up else middle + v) for k, v in enumerate(high)]
        sheet.lines.append(Line(((x0, middle), *edge, (x1, middle)), ink, closed=True))
    sheet.lines.append(Line(((x0, middle), (x1, middle)), "ink", 1))
    sheet.text(QRectF(pad, middle - small - t.px(4), label, small), "voice", "small strong", VOICE)
    sheet.text(QRectF(pad, middle + t.px(4), label, small), "music", "small strong", MUSIC)
    return sheet


class TwoWaves(SheetView):
    """Dragged sideways, the voice moves: `moved` is by how many seconds it is drawn later."""

    moved = pyqtSignal(float)

    def __init__(self, theme: Theme):
        super().__init__(theme)
        self._sounds: TwoSounds | None = None
        self._begin_s = self._later_s = 0.0
        self._from: float | None = None

    def show_sounds(self, sounds: TwoSounds, begin_s: float, later_s: float) -> None:
        self._sounds, self._begin_s, self._later_s = sounds, begin_s, later_s
        self.setAccessibleName(
            _("Voice over music from {begin_s:.1f} s on, the voice moved by {ms}").format(
                begin_s=begin_s, ms=ms_text(-later_s)
            )
        )
        self.renew()

    def sizeHint(self) -> QSize:
        t = self.theme.tokens
        return QSize(round(t.px(760)), round(t.px(220)))

    def minimumSizeHint(self) -> QSize:
        t = self.theme.tokens
        return QSize(round(t.px(420)), round(t.px(140)))

    def make_sheet(self, width: float, height: float) -> Sheet:
        if self._sounds is None:
            return Sheet(width, height)
        return waves_sheet(self._sounds, self._begin_s, self._later_s, width, height, self.theme.tokens)

    def mousePressEvent(self, e: QMouseEvent | None) -> None:
        self._from = e.position().x() if e is not None else None

    def mouseMoveEvent(self, e: QMouseEvent | None) -> None:
        if e is not None and self._from is not None:
            x, self._from = self._from, e.position().x()
            self.moved.emit((self._from - x) / max(1, self.width()) * SHOWN_S)

    def mouseReleaseEvent(self, e: QMouseEvent | None) -> None:
        self._from = None
