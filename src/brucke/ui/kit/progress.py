"""A bar that tells how far something is, without words in it."""

from PyQt6.QtWidgets import QProgressBar


def progress_bar(name: str, steps: int = 0) -> QProgressBar:
    """`name` is what a screen reader calls it. Without `steps` it runs without end."""
    bar = QProgressBar()
    bar.setRange(0, steps)
    bar.setTextVisible(False)
    bar.setAccessibleName(name)
    return bar
