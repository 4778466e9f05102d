"""A log-in of our own: a screen without a monitor, the desktop's buses and its sound server, and a user's folders."""

import os
import re
import shlex
import subprocess
import time
from pathlib import Path

from PyQt6.QtCore import QSettings

from brucke.home.autostart import autostart_file
from brucke.home.files import Homes

from .desktop_bus import DesktopBus

RUN = Path(__file__).parents[2] / "run"


class Screen:
    """A virtual one; `name` is its DISPLAY."""

    def __init__(self):
        read, write = os.pipe()
        self.process = subprocess.Popen(
            ["Xvfb", "-displayfd", str(write), "-screen", "0", "1280x800x24", "-nolisten", "tcp"],
            pass_fds=(write,), stderr=subprocess.DEVNULL,
        )  # fmt: skip
        os.close(write)
        with os.fdopen(read) as f:
            self.name = f":{f.readline().strip()}"

    def end(self):
        self.process.kill()
        self.process.wait()


class Login:
    """Of a user who had Brucke put into the menu and started with the desktop."""

    def __init__(self, desktop, services="tray,saver,notes,login"):
        self.desktop, self.home = desktop, Path(desktop.env["HOME"])
        self.bus = DesktopBus(own=desktop.env["DBUS_SESSION_BUS_ADDRESS"])
        self.screen = Screen()
        self.homes = Homes(self.home / "share", Path(desktop.env["XDG_CONFIG_HOME"]), self.home / ".local/bin")
        self.env = {
            **os.environ, **desktop.env, **self.bus.env, "DISPLAY": self.screen.name, "QT_QPA_PLATFORM": "xcb",
            "XDG_DATA_HOME": str(self.homes.data), "XDG_SESSION_ID": "1",
        }  # fmt: skip
        self.window: subprocess.Popen | None = None
        if services:
            self.bus.offer(services)

    def brucke(self, *arguments):
        return subprocess.run([str(RUN), *map(str, arguments)], env=self.env, capture_output=True, text=True)

    def remember(self, setup):
        """The last setup, as the window itself remembers it."""
        file = self.homes.config / "brucke/brucke.conf"
        settings = QSettings(str(file), QSettings.Format.IniFormat)
        settings.setValue("recent", [str(setup)])
        settings.sync()

    def begin(self):
        """What the desktop does at log-in: it starts what its autostart folder says, and nothing else."""
        entry = autostart_file(self.homes).read_text()
        command = shlex.split(re.search(r"^Exec=(.*)$", entry, re.MULTILINE)[1])
        self.began = time.monotonic()
        self.window = subprocess.Popen(command, env=self.env, stderr=subprocess.PIPE, text=True)

    def kill(self):
        self.window.kill()
        self.window.wait()

    def until(self, met, seconds=60):
        end = time.monotonic() + seconds
        while not (found := met()):
            assert self.window.poll() is None, self.window.stderr.read()
            assert time.monotonic() < end, "it did not happen in time"
            time.sleep(0.02)
        return found

    def menu(self):
        """{text: (enabled, state)} of the tray's menu, once there is one."""
        if not self.bus.do("items"):
            return {}
        try:
            return {text: (enabled, state) for text, enabled, state in self.bus.do("menu")}
        except AssertionError:  # the one before has just ended
            return {}

    def end(self):
        if self.window is not None and self.window.poll() is None:
            self.kill()
        self.bus.end()
        self.screen.end()
