"""Time that the machine below has taken away: no fault of the program's, but blocks are lost then whoever plays."""

import os
import time
from pathlib import Path

import pytest
from _pytest.runner import runtestprotocol

STOLEN, WAITED = 0.05, 0.5
TRIES = 3
FAILED = os.environ.get("BRUCKE_FAILED", "")  # where `./run test` wants the names of live tests that failed


def stolen_s() -> float:
    """So far, over all cores."""
    ticks = int(Path("/proc/stat").read_text().splitlines()[0].split()[8])
    return ticks / os.sysconf("SC_CLK_TCK")


@pytest.hookimpl(tryfirst=True)
def pytest_runtest_protocol(item: pytest.Item, nextitem: pytest.Item | None) -> bool | None:
    """A live test that fails while more than a twentieth of the time is taken away runs again, twice at the most, and
    that is said; once more where for half of the time somebody waited for a core. What fails while less is lost, or
    every time, has failed."""
    if item.get_closest_marker("live") is None:
        return None
    item.ihook.pytest_runtest_logstart(nodeid=item.nodeid, location=item.location)
    for left in reversed(range(TRIES)):
        before, lost, began = stolen_s(), lost_s(), time.monotonic()
        reports = runtestprotocol(item, log=False, nextitem=nextitem)
        took = time.monotonic() - began
        share, waited = (stolen_s() - before) / took, (lost_s() - lost) / took
        again = share > STOLEN or (waited > WAITED and left == TRIES - 1)
        if not left or not again or not any(r.failed for r in reports):
            break
        said = (
            f"\n{item.nodeid} failed while the machine below took {share:.0%} of the time away and somebody waited "
            f"for a core {waited:.0%} of it; once more:\n"
        )
        said += "\n".join(str(r.longrepr)[-2000:] for r in reports if r.failed)
        item.config.pluginmanager.get_plugin("terminalreporter").write_line(said)
    if FAILED and any(r.failed for r in reports):
        with open(FAILED, "a") as f:
            f.write(item.nodeid + "\n")
    for report in reports:
        item.ihook.pytest_runtest_logreport(report=report)
    item.ihook.pytest_runtest_logfinish(nodeid=item.nodeid, location=item.location)
    return True


def lost_s() -> float:
    """Seconds so far that the machine below took away, or in which somebody here waited for a core: what is promised
    within so much time is promised besides them."""
    pressure = Path("/proc/pressure/cpu")
    try:
        some = pressure.read_text().splitlines()[0].rpartition("total=")[2]
    except OSError:
        return stolen_s()
    return stolen_s() + int(some) / 1e6
