"""From log-in to tray and to sound, what the hidden window costs, and a week of it: beside an empty Qt window that only
has a clock of the same pace."""

import os
import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path

from tests.desktop_server import DesktopServer, setup_here
from tests.home.session import RUN, Login

from brucke.core.knowledge.evidence import Knowledge
from brucke.core.storage.setup_file import save
from brucke.home.autostart import switch

from .spent import cpu_s, memory_mb

TIMES, HIDDEN_S, WAKES = 5, 60.0, 7 * 48
EMPTY = """
import sys
from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QApplication, QWidget
app = QApplication([])
w = QWidget()
t = QTimer()
t.timeout.connect(lambda: None)
t.start(200)
print("up", flush=True)
app.exec()
"""


def share(pid: int, seconds: float) -> float:
    """Of a core."""
    before, began = cpu_s(pid), time.monotonic()
    time.sleep(seconds)
    return (cpu_s(pid) - before) / (time.monotonic() - began)


def sounds(desktop: DesktopServer) -> bool:
    links = desktop.ask("pw-link", "-l", "-i").stdout
    return "brucke.lounge:input_FL\n  |<-" in links


def week(login: Login) -> None:
    """A wake every half hour, with everything that a desktop says around it."""
    assert login.window is not None
    pid, sizes = login.window.pid, []
    for i in range(WAKES):
        login.bus.do("click", text="Lounge call open")
        for what, on in (("lock", True), ("sleep", True), ("sleep", False), ("lock", False), ("active", False), (
            "active", True)):  # fmt: skip
            login.bus.do(what, on=on)
        time.sleep(0.25)
        if i % 48 == 47:
            sizes.append(memory_mb(pid))
            print(
                f"day {i // 48 + 1}: {sizes[-1]:.1f} MB, {len(os.listdir(f'/proc/{pid}/fd'))} descriptors", flush=True
            )
    print(f"a hidden week: {sizes[-1] - sizes[0]:+.1f} MB from the first day to the last")


def run() -> None:
    with tempfile.TemporaryDirectory(prefix="quay-") as folder:
        desktop = DesktopServer(Path(folder))
        desktop.start()
        login = Login(desktop)
        try:
            save(login.home / "hour.brucke.json", setup_here(), Knowledge())
            login.remember(login.home / "hour.brucke.json")
            switch(login.homes, True, RUN)
            trays, sounding = [], []
            for i in range(TIMES):
                login.begin()
                login.until(lambda i=i: login.bus.do("items") == i + 1)
                trays.append(time.monotonic() - login.began)
                login.until(lambda: sounds(desktop))
                sounding.append(time.monotonic() - login.began)
                if i < TIMES - 1:
                    login.kill()
                    time.sleep(1.0)
            print(f"log-in to tray {statistics.median(trays):.2f} s (budget 1.5 s), worst {max(trays):.2f} s")
            print(f"log-in to sound {statistics.median(sounding):.2f} s (budget 4 s), worst {max(sounding):.2f} s")
            time.sleep(10.0)  # what it makes ready beside
            assert login.window is not None
            empty = subprocess.Popen([sys.executable, "-c", EMPTY], env=login.env, stdout=subprocess.PIPE)
            assert empty.stdout is not None
            empty.stdout.readline()
            ours, theirs = share(login.window.pid, HIDDEN_S), share(empty.pid, 10.0)
            empty.kill()
            print(f"hidden: {ours:.2%} of a core (budget 1 %); an empty Qt window with a clock {theirs:.2%}")
            week(login)
        finally:
            login.end()
            desktop.stop()
