"""Command to painted window with the demo, warm; beside an empty Qt window started the same way."""

import statistics
import subprocess
import sys
import time

OURS = """
import time
from brucke.commands import cli, window
window._begin()
from PyQt6.QtCore import QTimer
from brucke.ui.places.align.drawing import AlignDrawing
from brucke.ui.shell.window import Window

first = AlignDrawing.paintEvent
def painted(self, e):
    first(self, e)
    if not hasattr(AlignDrawing, "seen"):
        AlignDrawing.seen = True
        print("painted", time.monotonic(), flush=True)
AlignDrawing.paintEvent = painted
up = Window.refresh
def refresh(self):
    up(self)
    if self.running.state == "running":
        print("sounding", time.monotonic(), flush=True)
        QTimer.singleShot(0, self.close)
Window.refresh = refresh
cli.main(["demo"])
"""
EMPTY = """
import time
from PyQt6.QtWidgets import QApplication, QWidget
app = QApplication([])
class W(QWidget):
    def paintEvent(self, e):
        print("painted", time.monotonic(), flush=True)
        app.quit()
w = W(); w.show(); app.exec()
"""


def times(code: str) -> dict[str, float]:
    began = time.monotonic()
    out = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, timeout=60)
    found: dict[str, float] = {}
    for line in out.stdout.splitlines():
        word, at = line.split()
        found.setdefault(word, float(at) - began)
    return found


def run() -> None:
    times(OURS)
    runs = [times(OURS) for _ in range(5)]
    empty = [times(EMPTY)["painted"] for _ in range(3)]
    painted = statistics.median(r["painted"] for r in runs)
    sounding = statistics.median(r["sounding"] for r in runs)
    print(f"command to painted window {painted:.2f} s, to sound {sounding:.2f} s (budget 2.0 s)")
    print(f"an empty Qt window, started the same way: {statistics.median(empty):.2f} s")
