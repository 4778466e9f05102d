"""Processes that are forked from one that has everything loaded: ours as any other child, with their own handles, and
nothing stays when whoever asked is killed."""

import json
import os
import signal
import subprocess
import sys
import time
from pathlib import Path

import pytest

from brucke.engine.processes.forked import FORKS, ForkServer

PROGRAM = """
import json, os, sys

def main():
    told = dict(arguments=sys.argv[1:], room=os.environ.get("ROOM"), parent=os.getppid())
    told["handles"] = sorted(map(int, os.listdir("/proc/self/fd")))
    os.write(int(sys.argv[1]), json.dumps(told).encode())
    sys.exit(int(sys.argv[2]))
"""
ASKER = """
import os, sys, time
from brucke.engine.processes.forked import FORKS
read, write = os.pipe()
child = FORKS.start("asked_program", [str(write), "waits"], [write], dict(os.environ))
print(FORKS.forker_pid, child.pid, flush=True)
time.sleep(60)
"""
WAITS = "\nimport time\ndef main():\n    time.sleep(60)\n"


@pytest.fixture
def server(tmp_path, monkeypatch):
    """One of our own, that finds programs in a folder."""
    (tmp_path / "asked_program.py").write_text(PROGRAM)
    (tmp_path / "waiting_program.py").write_text(WAITS)
    monkeypatch.setenv("PYTHONPATH", f"{tmp_path}{os.pathsep}{os.environ.get('PYTHONPATH', '')}")
    server = ForkServer()
    yield server
    server._end()


def alive(pid):
    return Path(f"/proc/{pid}").exists() and "Z" not in Path(f"/proc/{pid}/stat").read_text().split(")")[1]


def test_it_has_its_handles_by_their_numbers_its_arguments_and_surroundings_and_is_ours_to_wait_for(server):
    read, write = os.pipe()
    number = os.dup2(write, 77)
    child = server.start("asked_program", ["77", "3"], [number], {**os.environ, "ROOM": "hall"})
    assert child.wait(30) == 3
    told = json.loads(os.read(read, 4096))
    assert (told["arguments"], told["room"], told["parent"]) == (["77", "3"], "hall", os.getpid())
    assert set(told["handles"]) - {77} <= {0, 1, 2, 3}, "nothing of the process it came from (3 lists the folder)"
    assert child.poll() == 3
    for handle in (read, write, number):
        os.close(handle)


def test_it_is_killed_and_waited_for_as_any_child_and_its_maker_has_one_thread(server):
    child = server.start("waiting_program", [], [], {**os.environ, "BRUCKE_ROLE": "engine"})
    assert Path(f"/proc/{child.pid}/comm").read_text() == "brucke engine\n"
    with pytest.raises(subprocess.TimeoutExpired):
        child.wait(0.05)
    child.kill()
    assert child.wait(30) == -signal.SIGKILL
    assert len(os.listdir(f"/proc/{server.forker_pid}/task")) == 1, "a fork of a process with threads is none"


def test_one_whose_maker_is_killed_goes_on_and_the_next_has_another_maker(server):
    first = server.start("waiting_program", [], [], dict(os.environ))
    assert alive(first.pid)
    maker = server.forker_pid
    os.kill(maker, signal.SIGKILL)
    until = time.monotonic() + 5
    while server.forker_pid and time.monotonic() < until:
        time.sleep(0.01)
    second = server.start("waiting_program", [], [], dict(os.environ))
    assert alive(second.pid)
    assert server.forker_pid not in (0, maker)
    assert first.poll() is None
    for child in (first, second):
        child.kill()
        assert child.wait(10) == -signal.SIGKILL


def test_one_that_does_not_come_is_dead_and_its_maker_is_replaced(server, monkeypatch):
    first = server.start("waiting_program", [], [], dict(os.environ))  # while it loads it is waited for longer
    maker = server.forker_pid
    assert first.pid
    monkeypatch.setattr("brucke.engine.processes.forked.THERE_S", 0.3)
    os.kill(maker, signal.SIGSTOP)
    child = server.start("waiting_program", [], [], dict(os.environ))
    assert child.wait(5) == -signal.SIGKILL
    monkeypatch.undo()
    until = time.monotonic() + 5
    while server.forker_pid and time.monotonic() < until:
        time.sleep(0.01)
    assert server.forker_pid != maker
    first.kill()
    assert first.wait(5) == -signal.SIGKILL


def test_nothing_stays_when_whoever_asked_is_killed(server):
    asker = subprocess.Popen([sys.executable, "-c", ASKER], stdout=subprocess.PIPE, text=True)
    maker, child = map(int, asker.stdout.readline().split())
    os.kill(asker.pid, signal.SIGKILL)
    asker.wait()
    until = time.monotonic() + 10
    while alive(maker) and time.monotonic() < until:
        time.sleep(0.02)
    assert not alive(maker)
    if alive(child):
        os.kill(child, signal.SIGKILL)


def test_the_one_of_this_process_is_made_once():
    FORKS.prepare()
    before = FORKS.forker_pid
    FORKS.prepare()
    assert FORKS.forker_pid == before != 0
