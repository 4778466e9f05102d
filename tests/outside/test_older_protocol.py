"""Where only the desktop's older sound protocol is spoken: its own player and recorder, which know nothing of us, are
the other side, and its own list of what there is tells what is left."""

import json
import os
import signal
import subprocess
import sys
import time

import numpy as np
import pytest
from msgspec.structs import replace

from brucke.core.knowledge.evidence import Knowledge
from brucke.core.storage.setup_file import save
from brucke.ports.devices.server.names import taking

from ..desktop_server import RATE, setup_here
from .sounding import level_of

pytestmark = pytest.mark.live

WINDOW = RATE // 20
RAW = ("--raw", "--format=float32le", f"--rate={RATE}", "--channels=2")


def listed(what):
    said = subprocess.run(["pactl", "list", "short", what], capture_output=True, text=True, check=True).stdout
    return [line.split("\t") for line in said.splitlines()]


def until(met, seconds=60):
    end = time.monotonic() + seconds
    while not met():
        assert time.monotonic() < end, "it did not happen in time"
        time.sleep(0.05)


def where(stream="sink-inputs", pid=None):
    """The name of the sink that the player plays to."""
    sinks = {row[0]: row[1] for row in listed("sinks")}
    said = subprocess.run(["pactl", "-f", "json", "list", stream], capture_output=True, text=True, check=True).stdout
    return [
        sinks.get(str(x["sink"]), "one that came between two looks")
        for x in json.loads(said)
        if x["properties"].get("application.process.id") == str(pid)
    ]


def heard(path, seconds=3.0):
    with open(path, "wb") as out:
        recorder = subprocess.Popen(["parec", "-d", "brucke.lounge", *RAW], stdout=out)
        time.sleep(seconds)
        recorder.terminate()
        recorder.wait()
    return np.fromfile(path, np.float32).reshape(-1, 2)


@pytest.fixture
def player(sound_server, tmp_path):
    """Plays a tone for a while to wherever the desktop plays."""
    t = np.arange(RATE * 240) / RATE
    sound = (0.2 * np.sin(2 * np.pi * 440 * t)).astype(np.float32)
    (tmp_path / "tone.raw").write_bytes(sound.repeat(2).tobytes())
    playing = subprocess.Popen(["paplay", *RAW, "--client-name=Harbour player", str(tmp_path / "tone.raw")])
    yield playing
    playing.kill()
    playing.wait()


def carried():
    """Whether the engine plays into the microphone."""
    sink = next((row[0] for row in listed("sinks") if row[1] == "brucke.lounge.out"), "")
    return any(row[1] == sink for row in listed("sink-inputs"))


def sounding(tmp_path, setup, *options):
    save(tmp_path / "here.brucke.json", setup, Knowledge())
    command = [sys.executable, "-m", "brucke", "live", str(tmp_path / "here.brucke.json"), "--json", *options]
    return subprocess.Popen(command, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)


def sources():
    return [row[1] for row in listed("sources")]


def test_a_microphone_gives_silence_until_it_is_open_then_the_program_and_nothing_is_left_after_kill_9(
    player, tmp_path
):
    setup = setup_here()
    browser = replace(setup.device("browser"), card=taking("Harbour player"))
    devices = tuple(browser if d.id == "browser" else d for d in setup.devices)
    # The private server has no other microphone than what its loudspeakers play.
    setup = replace(setup, devices=devices, routes=tuple(r for r in setup.routes if r.part == "song"))
    until(lambda: where(pid=player.pid) == ["quay"])

    closed = sounding(tmp_path, setup)
    until(lambda: "brucke.lounge" in sources() and where(pid=player.pid) == ["brucke.in.browser"])
    until(carried)
    time.sleep(8.0)  # until the streams have settled
    assert not heard(tmp_path / "closed.raw").any(), "digital silence"
    closed.send_signal(signal.SIGINT)
    closed.wait(20)
    until(lambda: where(pid=player.pid) == ["quay"], 2)
    assert not [n for n in sources() if n.startswith("brucke.")]

    opened = sounding(tmp_path, setup, "--open")
    try:
        until(lambda: where(pid=player.pid) == ["brucke.in.browser"])
        until(carried)
        until(lambda: heard(tmp_path / "open.raw", 1.0).any())
        sound = heard(tmp_path / "open.raw", 4.0)
        # Streams of this protocol have gaps on a busy machine, which the deck counts: a window without one is as it was
        # played.
        windows = sound[: len(sound) // WINDOW * WINDOW, 0].reshape(-1, WINDOW)
        levels = [level_of(w, 440.0) for w in windows]
        assert max(levels) == pytest.approx(0.2, rel=0.02)
        assert np.median(levels) > 0.1
        described = subprocess.run(["pactl", "list", "sources"], capture_output=True, text=True, check=True).stdout
        assert "Description: Brucke · Lounge call" in described
    finally:
        everything = [opened.pid, *children(opened.pid)]
        for pid in everything:
            os.kill(pid, signal.SIGKILL)
        opened.wait()
    until(lambda: not [m for m in listed("modules") if "brucke." in "".join(m)], 3)
    assert where(pid=player.pid) == ["quay"], "it sounds again where it was"


def test_a_microphone_that_somebody_has_chosen_stays_silent_when_all_of_us_is_killed_and_is_taken_over(
    player, tmp_path
):
    setup = setup_here()
    setup = replace(setup, routes=tuple(r for r in setup.routes if r.part == "song"))
    opened = sounding(tmp_path, setup, "--open")
    until(carried)
    until(lambda: "brucke.lounge" in sources())
    with open(tmp_path / "call.raw", "wb") as out:
        call = subprocess.Popen(["parec", "-d", "brucke.lounge", "--latency-msec=50", *RAW], stdout=out)
        try:
            time.sleep(2.0)
            for pid in [opened.pid, *children(opened.pid)]:
                os.kill(pid, signal.SIGKILL)
            opened.wait()
            until(lambda: not [n for n in listed("sinks") if n[1].startswith("brucke.in.")], 5)
            time.sleep(2.0)
            assert "brucke.lounge" in sources()
            killed = (tmp_path / "call.raw").stat().st_size
            until(lambda: (tmp_path / "call.raw").stat().st_size > killed + RATE, 20)
            assert not any((tmp_path / "call.raw").read_bytes()[killed:])
            again = sounding(tmp_path, setup)
            until(carried)
            assert sources().count("brucke.lounge") == 1, "taken over, not made twice"
            again.send_signal(signal.SIGINT)
            again.wait(20)
            time.sleep(1.0)
            assert "brucke.lounge" in sources()
        finally:
            call.kill()
            call.wait()
    until(lambda: not [m for m in listed("modules") if "brucke." in "".join(m)], 5)


def children(pid):
    """Those that do the work; what outlives them to clean up is meant to."""
    found = []
    for thread in os.listdir(f"/proc/{pid}/task"):
        with open(f"/proc/{pid}/task/{thread}/children") as f:
            for child in f.read().split():
                with open(f"/proc/{child}/cmdline", "rb") as command:
                    if b"older.keeper" not in command.read():
                        found.append(int(child))
    return found
