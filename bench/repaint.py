"""Full repaint of every view while the demo runs, 1280 × 800 and 2560 × 1440; beside a page of plain Qt labels."""

import statistics
import time

from PyQt6.QtCore import QSettings
from PyQt6.QtGui import QImage, QPainter, QRegion
from PyQt6.QtWidgets import QApplication, QGridLayout, QLabel, QWidget

from brucke.app.session.session import Session
from brucke.app.studio import Studio
from brucke.demo import SETUP
from brucke.rehearse import equipment
from brucke.ui.shell.app import make_app
from brucke.ui.shell.window import Window
from brucke.ui.theme.theme import Theme


def repaint_ms(widget: QWidget, app: QApplication, times: int = 40) -> float:
    image = QImage(widget.size(), QImage.Format.Format_ARGB32_Premultiplied)
    spent = []
    for _ in range(times):
        app.processEvents()
        painter = QPainter(image)
        began = time.perf_counter()
        widget.render(painter)
        spent.append((time.perf_counter() - began) * 1e3)
        painter.end()
    return statistics.median(spent)


def run() -> None:
    app, _theme, _ = make_app()
    session = Session(equipment)
    session.open(SETUP)
    window = Window(Theme(), Studio(session, QSettings("/tmp/brucke-bench.ini", QSettings.Format.IniFormat)))
    window.show()
    window.running.start(play=True)
    window.go_to("gather")
    until = time.monotonic() + 8  # until it plays and the waveform was read
    while time.monotonic() < until:
        app.processEvents()
        time.sleep(0.005)
    for size in ((1280, 800), (2560, 1440)):
        window.resize(*size)
        for place in window.places:
            window.go_to(place)
            print(f"{place} {size[0]} × {size[1]}: {repaint_ms(window, app):.1f} ms (budget 8 ms at 1280 × 800)")
    cards = list(window.strip.cards.values())
    moved = [bar for c in cards for bar in c.geometry_of_meter().bars]
    began = time.perf_counter()
    for card in cards:
        region = QRegion()
        for bar in card.geometry_of_meter().bars:
            region += bar.toRect()
        card.repaint(region)
    print(f"one meter frame, {len(moved)} bars: {(time.perf_counter() - began) * 1e3:.2f} ms")
    window.running.stop()
    page = QWidget()
    grid = QGridLayout(page)
    for i in range(60):
        grid.addWidget(QLabel(f"label {i}"), i // 6, i % 6)
    page.resize(1280, 800)
    page.show()
    print(f"reference: a page of 60 plain Qt labels, 1280 × 800: {repaint_ms(page, app):.1f} ms")
