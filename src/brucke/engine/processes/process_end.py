"""Ending a child process without waiting for it: one that hangs on a disk or a driver ends when that lets go of it."""

import subprocess
import threading

from .forked import Forked


def end(process: "subprocess.Popen[bytes] | Forked") -> None:
    """Killed at once; whoever asked goes on at once, too."""
    if process.poll() is not None:
        return
    process.kill()
    if process.poll() is None:
        threading.Thread(target=process.wait, name="reaping", daemon=True).start()
