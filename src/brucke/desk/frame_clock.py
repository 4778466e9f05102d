"""One clock for everything that moves, 30 times a second."""

from PyQt6.QtCore import QObject, Qt, QTimer, pyqtSignal

FRAME_MS = 33


class FrameClock(QObject):
    tick = pyqtSignal()

    def __init__(self, parent: QObject | None = None):
        super().__init__(parent)
        self._timer = QTimer(self)
        self._timer.setTimerType(Qt.TimerType.PreciseTimer)
        self._timer.timeout.connect(self.tick)
        self._timer.start(FRAME_MS)
