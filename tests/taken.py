"""How long each test took when all were last measured, and by that which of them one run is of.

`BRUCKE_TAKEN=1 pytest …` measures those that run and writes them into `taken.json`; all others keep what they had. A
test that was never measured belongs to every run.
"""

import json
import os
from collections import Counter
from pathlib import Path

import pytest

FILE = Path(__file__).with_name("taken.json")
LEAST_S = 0.2  # quicker ones are not written down
_measured: Counter[str] = Counter()


def pytest_addoption(parser: pytest.Parser) -> None:
    group = parser.getgroup("time")
    group.addoption("--at-most", type=float, help="only tests that took so many seconds, and those marked `main`")
    group.addoption("--more-than", type=float, help="only the others")


def choose(config: pytest.Config, items: list[pytest.Item]) -> None:
    """What does not belong to this run is left out of `items`."""
    most, more = config.getoption("--at-most"), config.getoption("--more-than")
    if most is None and more is None:
        return
    took: dict[str, float] = json.loads(FILE.read_text())

    def seconds_of(item: pytest.Item) -> float:
        if item.get_closest_marker("main"):
            return 0.0
        if item.get_closest_marker("together"):  # as long as the longest of its file: one goes on where another ended
            return max((t for name, t in took.items() if name.startswith(item.nodeid.partition("::")[0])), default=0.0)
        return took.get(item.nodeid, 0.0)

    def belongs(item: pytest.Item) -> bool:
        seconds = seconds_of(item)
        return seconds <= most if most is not None else seconds > more

    others = [item for item in items if not belongs(item)]
    config.hook.pytest_deselected(items=others)
    items[:] = [item for item in items if belongs(item)]


def pytest_runtest_logreport(report: pytest.TestReport) -> None:
    _measured[report.nodeid] += report.duration


def pytest_sessionfinish(session: pytest.Session) -> None:
    if not os.environ.get("BRUCKE_TAKEN") or hasattr(session.config, "workerinput"):
        return
    took = json.loads(FILE.read_text()) if FILE.exists() else {}
    took |= {name: round(seconds, 1) for name, seconds in _measured.items()}
    kept = {name: seconds for name, seconds in sorted(took.items()) if seconds >= LEAST_S}
    FILE.write_text(json.dumps(kept, indent=0, ensure_ascii=False) + "\n")
