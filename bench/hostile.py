"""Five thousand mutations of every kind of file: tracebacks, hangs, memory, and what was written outside."""

import json
import subprocess
import sys

KINDS = ("setup", "bundle", "sound", "preset", "profile", "take")
COUNT = 5000


def run() -> None:
    for kind in KINDS:
        argv = [sys.executable, "-m", "tests.hostile", kind, str(COUNT), "1"]
        found = json.loads(subprocess.run(argv, capture_output=True, text=True, check=True).stdout)
        print(
            f"{kind}: {COUNT} mutations, {found['accepted']} still good; tracebacks {len(found['raised'])}, outside "
            f"or left "
            f"behind {len(found['outside'] + found['litter'])}, slowest {found['slowest_s']} s, {found['memory_mb']} MB"
        )
