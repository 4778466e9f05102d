"""Controls beside one another."""

from PyQt6.QtWidgets import QHBoxLayout, QWidget


def row(*widgets: QWidget, stretch: int = 0) -> QHBoxLayout:
    """Left to right; each takes its share of the width where `stretch` is not 0."""
    line = QHBoxLayout()
    line.setSpacing(8)
    for w in widgets:
        line.addWidget(w, stretch)
    return line
