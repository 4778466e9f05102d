"""The typeface that ships with the program, in the few sizes and weights there are."""

from functools import lru_cache
from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QFont, QFontDatabase, QFontMetricsF

FAMILY = "Atkinson Hyperlegible Next"
# role: (size in px, weight)
ROLES = {
    "small": (13, 400),
    "small strong": (13, 600),
    "body": (14, 400),
    "strong": (14, 600),
    "name": (16, 600),
    "title": (20, 600),
    "brand": (26, 700),
    "figure": (26, 700),
    # Read from two metres, in Perform.
    "big": (22, 600),
    "large": (30, 600),
    "huge": (46, 700),
}


def load_fonts() -> None:
    """Once, after the application exists."""
    for path in sorted((Path(__file__).parent / "fonts").glob("*.ttf")):
        QFontDatabase.addApplicationFont(str(path))


@lru_cache(maxsize=128)
def font(role: str, scale: float = 1.0) -> QFont:
    size, weight = ROLES[role]
    f = QFont(FAMILY)
    f.setPixelSize(round(size * scale))
    f.setWeight(QFont.Weight(weight))
    f.setFeature(QFont.Tag("tnum"), 1)
    return f


@lru_cache(maxsize=128)
def metrics(role: str, scale: float = 1.0) -> QFontMetricsF:
    return QFontMetricsF(font(role, scale))


@lru_cache(maxsize=8192)
def width(text: str, role: str, scale: float = 1.0) -> float:
    return metrics(role, scale).horizontalAdvance(text)


def height(role: str, scale: float = 1.0) -> float:
    return metrics(role, scale).height()


def wrap(text: str, role: str, scale: float, room: float) -> list[str]:
    """Lines no wider than `room`; a word wider than that stands alone."""
    lines: list[str] = []
    for word in text.split():
        longer = f"{lines[-1]} {word}" if lines else word
        if lines and width(longer, role, scale) <= room:
            lines[-1] = longer
        else:
            lines.append(word)
    return lines


def first_fitting(choices: tuple[str, ...], role: str, scale: float, room: float) -> str:
    """The longest wording that fits, or nothing."""
    return next((c for c in choices if width(c, role, scale) <= room), "")


def elided(text: str, role: str, scale: float, room: float) -> str:
    """The text, or as much of it as there is room for, with the sign that something is left out."""
    if width(text, role, scale) <= room:
        return text
    return metrics(role, scale).elidedText(text, Qt.TextElideMode.ElideRight, int(room))
