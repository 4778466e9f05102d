"""Controls beside one another."""

from PyQt6.QtWidgets import QHBoxLayout, QWidget


def ends(*left: QWidget, right: QWidget) -> QHBoxLayout:
    """What a dialog ends with: what it does at the left, the way out at the right."""
    line = row(*left)
    line.addStretch(1)
    line.addWidget(right)
    return line


def row(*widgets: QWidget, stretch: int = 0) -> QHBoxLayout:
    """Left to right; each takes its share of the width where `stretch` is not 0."""
    line = QHBoxLayout()
    line.setSpacing(8)
    for w in widgets:
        line.addWidget(w, stretch)
    return line
