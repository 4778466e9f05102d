"""One clock for everything that moves, 30 times a second; slower while nobody sees it."""

from PyQt6.QtCore import QObject, Qt, QTimer, pyqtSignal

FRAME_MS = 33
SLOW_MS = 200  # an engine that hangs has to be seen within a second


class FrameClock(QObject):
    tick = pyqtSignal()

    def __init__(self, parent: QObject | None = None):
        super().__init__(parent)
        self._timer = QTimer(self)
        self._timer.setTimerType(Qt.TimerType.PreciseTimer)
        self._timer.timeout.connect(self.tick)
        self._timer.start(FRAME_MS)

    def set_slow(self, slow: bool) -> None:
        wanted = SLOW_MS if slow else FRAME_MS
        if self._timer.interval() != wanted:
            self._timer.setTimerType(Qt.TimerType.CoarseTimer if slow else Qt.TimerType.PreciseTimer)
            self._timer.setInterval(wanted)

    def stop(self) -> None:
        self._timer.stop()
