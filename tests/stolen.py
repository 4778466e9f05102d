"""Time that the machine below has taken away: no fault of the program's, but blocks are lost then whoever plays."""

import os
import time
from pathlib import Path

import pytest
from _pytest.runner import runtestprotocol

STOLEN = 0.05


def stolen_s() -> float:
    """So far, over all cores."""
    ticks = int(Path("/proc/stat").read_text().splitlines()[0].split()[8])
    return ticks / os.sysconf("SC_CLK_TCK")


@pytest.hookimpl(tryfirst=True)
def pytest_runtest_protocol(item: pytest.Item, nextitem: pytest.Item | None) -> bool | None:
    """A live test that fails while more than a twentieth of the time is taken away runs once more, and that is said. What fails again has failed."""
    if item.get_closest_marker("live") is None:
        return None
    item.ihook.pytest_runtest_logstart(nodeid=item.nodeid, location=item.location)
    before, began = stolen_s(), time.monotonic()
    reports = runtestprotocol(item, log=False, nextitem=nextitem)
    share = (stolen_s() - before) / (time.monotonic() - began)
    if share > STOLEN and any(r.failed for r in reports):
        said = f"\n{item.nodeid} failed while the machine below took {share:.0%} of the time away; once more:\n"
        said += "\n".join(str(r.longrepr)[-2000:] for r in reports if r.failed)
        item.config.pluginmanager.get_plugin("terminalreporter").write_line(said)
        reports = runtestprotocol(item, log=False, nextitem=nextitem)
    for report in reports:
        item.ihook.pytest_runtest_logreport(report=report)
    item.ihook.pytest_runtest_logfinish(nodeid=item.nodeid, location=item.location)
    return True
