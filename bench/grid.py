"""The grid of 64 parts × 16 listeners: a full repaint, one changed cell, one edit; beside a plain Qt table as large."""

import statistics
import time

from PyQt6.QtCore import QSettings
from PyQt6.QtGui import QStandardItem, QStandardItemModel
from PyQt6.QtWidgets import QTableView

from brucke.app.session.session import Session
from brucke.app.studio import Studio
from brucke.core.checks.soundcheck import soundcheck
from brucke.core.document.setup import Setup
from brucke.core.edits import listener_edits, part_edits, route_edits
from brucke.engine.step.plan import compile_plan
from brucke.rehearse import equipment
from brucke.ui.places.share.model import share_data
from brucke.ui.shell.app import make_app
from brucke.ui.shell.window import Window
from brucke.ui.theme.theme import Theme

from .repaint import repaint_ms


def choir() -> Setup:
    """As large as a setup may be, half of its routes on."""
    setup = Setup(name="Choir")
    for i in range(16):
        setup = listener_edits.add_listener(setup, ("monitor", "call", "stream", "recorder")[i % 4], "Place", "Box")
    while len(setup.parts) < 64:
        setup = part_edits.add_part(setup, "microphone", "Singer", "Interface")
    cells = [(p.id, x.id) for p in setup.parts for x in setup.listeners if x.kind != "monitor"]
    return route_edits.switch(setup, cells, True)


def _ms(what: str, times: list[float], budget: str) -> None:
    print(f"{what}: {statistics.median(times):.2f} ms, worst {max(times):.2f} ms{budget}")


def run() -> None:
    app, _theme, _ = make_app()
    session = Session(equipment)
    session.replace(choir())
    window = Window(Theme(), Studio(session, QSettings("/tmp/brucke-bench.ini", QSettings.Format.IniFormat)))
    window.show()
    window.go_to("share")
    for size, budget in (((1280, 800), 8), ((2560, 1440), 25)):
        window.resize(*size)
        app.processEvents()
        ms = repaint_ms(window, app)
        print(f"whole window with the grid, {size[0]} × {size[1]}: {ms:.1f} ms (budget {budget} ms)")
    grid = window.share.grid
    setup = session.setup
    paint, whole = [], []
    for i in range(60):
        part, listener = setup.parts[i % 6].id, setup.listeners[i % 4].id
        setup = route_edits.set_gain(setup, part, listener, -(i % 23) - 0.5)
        data = share_data(setup, session.timing, window.checking.results)
        began = time.perf_counter()
        grid.show_data(data)
        rect = grid.visualRect(grid.routes.index(i % 6, 2 + i % 4))
        grid.viewport().repaint(rect)
        paint.append((time.perf_counter() - began) * 1e3)
        app.processEvents()
    _ms("a changed cell, shown and painted", paint, " (budget 2 ms)")
    for i in range(30):
        began = time.perf_counter()
        after = route_edits.set_gain(
            session.setup, session.setup.parts[i % 6].id, session.setup.listeners[i % 4].id, -i - 1.5
        )
        session.edit("gain", after, "share")
        whole.append((time.perf_counter() - began) * 1e3)
        app.processEvents()
    _ms("an edit through session, timing and every view", whole, "")
    for name, work in (
        ("the whole soundcheck", lambda: soundcheck(session.situation)),
        ("the engine's plan", lambda: compile_plan(session.setup, session.live)),
    ):
        times = []
        for _ in range(5):
            began = time.perf_counter()
            work()
            times.append((time.perf_counter() - began) * 1e3)
        _ms(name, times, "")
    model = QStandardItemModel(64, 16)
    for r in range(64):
        for c in range(16):
            model.setItem(r, c, QStandardItem("-6.0 dB"))
    table = QTableView()
    table.setModel(model)
    table.resize(1280, 800)
    table.show()
    print(f"reference: a plain Qt table of 64 × 16 texts, 1280 × 800: {repaint_ms(table, app):.1f} ms")
