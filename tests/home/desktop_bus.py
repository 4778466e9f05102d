"""A desktop's buses of our own, with the services that a test wants there."""

import json
import os
import shutil
import subprocess
from pathlib import Path

SERVICES = Path(__file__).with_name("services.py")
SYSTEM_PYTHON = "/usr/bin/python3"
ALL = "tray,saver,notes,login"


def can_be() -> bool:
    """Whether this computer has what such a desktop is made of."""
    if shutil.which("dbus-daemon") is None or not Path(SYSTEM_PYTHON).exists():
        return False
    return subprocess.run([SYSTEM_PYTHON, "-c", "import dbus, gi"], capture_output=True).returncode == 0


class DesktopBus:
    """`env` is what a program has to be given to see it; `own` is the user's bus, where there is already one."""

    def __init__(self, own: str = ""):
        self.processes: list[subprocess.Popen] = []
        self.env = {"DBUS_SESSION_BUS_ADDRESS": own or self._bus(), "DBUS_SYSTEM_BUS_ADDRESS": self._bus()}
        self.services: subprocess.Popen | None = None

    def _bus(self) -> str:
        bus = subprocess.Popen(
            ["dbus-daemon", "--session", "--nofork", "--nopidfile", "--print-address=1"], text=True,
            stdout=subprocess.PIPE, stderr=subprocess.DEVNULL,
        )  # fmt: skip
        self.processes.append(bus)
        return bus.stdout.readline().strip()

    def offer(self, services: str = ALL) -> None:
        """Whoever offered something before ends."""
        self.withdraw()
        self.services = subprocess.Popen(
            [SYSTEM_PYTHON, str(SERVICES), services], stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True,
            env={**os.environ, **self.env},
        )  # fmt: skip
        assert json.loads(self.services.stdout.readline()) == {"answer": "up"}

    def withdraw(self) -> None:
        if self.services is not None:
            self.services.kill()
            self.services.wait()
            self.services = None

    def do(self, what: str, **values):
        """Asked of the services, whose program answers as soon as whom it asks does: never from the thread that has
        to."""
        self.services.stdin.write(json.dumps({"do": what, **values}) + "\n")
        self.services.stdin.flush()
        said = json.loads(self.services.stdout.readline())
        assert "error" not in said, said
        return said["answer"]

    def end(self) -> None:
        self.withdraw()
        for p in self.processes:
            p.kill()
            p.wait()
