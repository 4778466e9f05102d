"""Whether a program that left a note still runs: a process number alone is used again by others."""

import os
from pathlib import Path

import msgspec

BOOT_ID = Path("/proc/sys/kernel/random/boot_id")


class Who(msgspec.Struct, frozen=True, kw_only=True):
    """A process by its number, its start (in clock ticks since the boot) and the boot it belongs to."""

    pid: int
    started: int = 0
    boot: str = ""


def _started(pid: int) -> int | None:
    """When a process began; None where there is none."""
    try:
        # The name in brackets may itself hold spaces and brackets.
        return int(Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()[19])
    except (OSError, ValueError, IndexError):
        return None


def _boot() -> str:
    try:
        return BOOT_ID.read_text().strip()
    except OSError:
        return ""


def this_program() -> Who:
    return Who(pid=os.getpid(), started=_started(os.getpid()) or 0, boot=_boot())


def is_alive(who: Who) -> bool:
    """Whether that very process runs now."""
    return who.pid > 0 and who.boot == _boot() and _started(who.pid) == who.started
