"""What this computer says of itself: room on the disk, and whether it may stop by itself."""

import shutil
from pathlib import Path

from msgspec.structs import replace
from platformdirs import user_music_path

from ...core.knowledge.evidence import Facts

POWER = Path("/sys/class/power_supply")


def free_bytes(folder: Path) -> int | None:
    """Room where `folder` is, or will be."""
    while not folder.exists() and folder != folder.parent:
        folder = folder.parent
    try:
        return shutil.disk_usage(folder).free
    except OSError:
        return None


def may_sleep(power: Path = POWER) -> bool | None:
    """Whether it runs on a battery, and so may go to sleep; None where nothing is known of its power."""
    try:
        supplies = list(power.iterdir())
        kinds = {s: (s / "type").read_text().strip() for s in supplies}
        batteries = [s for s in supplies if kinds[s] == "Battery"]
        return any((s / "status").read_text().strip() == "Discharging" for s in batteries)
    except OSError:
        return None


def battery_percent(power: Path = POWER) -> int | None:
    """What is left in the emptiest battery while it is discharging; None where it is not, or nothing is known."""
    left = []
    try:
        for supply in power.iterdir():
            is_battery = (supply / "type").read_text().strip() == "Battery"
            if is_battery and (supply / "status").read_text().strip() == "Discharging":
                left.append(int((supply / "capacity").read_text()))
    except (OSError, ValueError):
        return None
    return min(left, default=None)


def recordings_home() -> Path:
    """Where the user finds what was recorded: in a folder of ours among their music."""
    return user_music_path() / "Brucke takes"


def computer_facts(facts: Facts) -> Facts:
    return replace(facts, free_bytes=free_bytes(recordings_home()), may_sleep=may_sleep())
