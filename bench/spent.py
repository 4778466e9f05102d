"""What a process has used and holds, as the system counts it."""

import os
from pathlib import Path


def cpu_s(pid: int) -> float:
    """Seconds of a core."""
    fields = Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()
    return (int(fields[11]) + int(fields[12])) / os.sysconf("SC_CLK_TCK")


def memory_mb(pid: int) -> float:
    """What it holds for itself: shared pages count to nobody."""
    lines = Path(f"/proc/{pid}/smaps_rollup").read_text().splitlines()
    return sum(int(line.split()[1]) for line in lines if line.startswith(("Private_Clean", "Private_Dirty"))) / 1024
