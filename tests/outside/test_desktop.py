"""On a desktop of our own: real programs, none of them ours, play into and record from a setup that sounds there.

What they get is held against what they gave: the server's own player and recorder are the other side.
"""

import json
import os
import signal
import subprocess
import time
from pathlib import Path

import numpy as np
import pytest
import soundfile as sf
from msgspec.structs import replace

from brucke.core.document.setup import MapPoint
from brucke.ports.devices.server.names import taking

from ..desktop_server import RATE, setup_here
from .sounding import level_of, recording, until


def test_a_microphone_is_as_wide_as_its_listener(desktop, sounding, playing, tmp_path):
    """Music on channels 3 and 4 only, as a recording program takes it."""
    setup = setup_here()
    wide = tuple(replace(x, channels=4) if x.id == "lounge" else x for x in setup.listeners)
    apart = (MapPoint(source=0, target=2), MapPoint(source=1, target=3, gain_db=-6.0))
    routes = tuple(
        replace(r, map=apart) if (r.part, r.listener) == ("song", "lounge") else r
        for r in setup.routes
        if r.part == "song"
    )
    live = sounding("--open", setup=replace(setup, listeners=wide, routes=routes))
    live.until("up")
    playing("brucke.in.browser", 440.0)
    time.sleep(1.0)
    file = tmp_path / "wide.wav"
    recorder = desktop.run(
        "pw-record", "--target", "brucke.lounge", "--rate", str(RATE), "--format", "f32", "--channels", "4",
        "--channel-map", "AUX0,AUX1,AUX2,AUX3", str(file), stdout=subprocess.DEVNULL,
    )  # fmt: skip
    time.sleep(2.0)
    recorder.send_signal(signal.SIGINT)
    recorder.wait(5)
    heard = sf.read(file, dtype="float32")[0][-RATE:]
    assert heard.shape[1] == 4
    assert not heard[:, :2].any(), "nothing on the channels that nothing is routed to"
    assert level_of(heard[:, 2], 440.0) == pytest.approx(0.2, rel=0.02)
    assert level_of(heard[:, 3], 440.0) == pytest.approx(0.2 * 10 ** (-6 / 20), rel=0.02)


ROLES = ("engine", "standby", "recorder", "loudness", "world")


def left_of_ours(thing):
    """Whether something the server has is of ours; what a program itself asked for is its own."""
    properties = (thing.get("info") or {}).get("props") or {}
    said = [str(properties.get(key, "")) for key in ("node.name", "application.name", "object.path")]
    said += [str(m.get("value", "")) for m in thing.get("metadata") or []]
    return any("brucke" in s.lower() for s in said)


def ours(desktop):
    return [n for n in (*desktop.names("sources"), *desktop.names("sinks")) if "brucke" in n]


def test_a_call_gets_silence_until_it_is_opened_and_then_song_and_voice(desktop, sounding, playing, tmp_path):
    live = sounding()
    up = live.until("up")
    lounge = next(x for x in up["listeners"] if x["id"] == "lounge")
    assert (lounge["microphone"], lounge["node"], lounge["open"]) == ("Brucke · Lounge call", "brucke.lounge", False)
    assert "brucke.lounge" in desktop.names("sources")
    assert "brucke.in.browser" in desktop.names("sinks")
    playing("brucke.in.browser", 440.0)
    playing("air", 1000.0)
    time.sleep(1.0)
    closed = recording(desktop, tmp_path / "closed.raw", 1.5)
    assert len(closed) > RATE // 4
    assert not closed.view(np.uint32).any(), "digital silence to the bit, whatever is routed"
    assert live.until("heard_by")["listener"] == "lounge"
    live.end()
    live = sounding("--open")
    live.until("up")
    playing("brucke.in.browser", 440.0)
    time.sleep(1.0)
    heard = recording(desktop, tmp_path / "open.raw", 2.0)[-RATE:]
    assert level_of(heard[:, 0], 440.0) == pytest.approx(0.2, rel=0.02)
    assert level_of(heard[:, 1], 1000.0) == pytest.approx(0.2, rel=0.02), (
        "the voice comes from the microphone on the desk"
    )
    played = recording(desktop, tmp_path / "phones.raw", 1.5, "box.monitor")[-RATE // 2 :]
    assert level_of(played[:, 0], 440.0) == pytest.approx(0.2, rel=0.02)
    assert level_of(played[:, 0], 1000.0) < 1e-3, "nobody asked to hear themselves"
    assert live.end()["blocks"] > 1000
    assert not ours(desktop)


def test_what_is_killed_leaves_nothing_and_an_engine_that_dies_keeps_its_microphones(
    desktop, sounding, playing, tmp_path
):
    live = sounding("--open")
    live.until("up")
    playing("brucke.in.browser", 440.0)
    listening = desktop.run("parec", "-d", "brucke.lounge", stdout=subprocess.DEVNULL)
    live.until("heard_by")
    time.sleep(8.0)  # until another engine stands by
    for child in children(live.process.pid, "engine"):
        os.kill(child, signal.SIGKILL)
    began = time.monotonic()
    while time.monotonic() - began < 3.0:
        assert "brucke.lounge" in desktop.names("sources"), "the call never gets the bare microphone"
        time.sleep(0.05)
    assert live.until("up", 2)["listeners"][1]["heard_by"] == ["parec"]
    heard = recording(desktop, tmp_path / "again.raw", 1.5)[-RATE // 2 :]
    assert level_of(heard[:, 0], 440.0) == pytest.approx(0.2, rel=0.02)
    for role in ("recorder", "loudness", "standby"):
        for child in children(live.process.pid, role):
            os.kill(child, signal.SIGKILL)
    time.sleep(2.0)
    assert "brucke.lounge" in desktop.names("sources")
    assert live.process.poll() is None
    listening.kill()
    everything = [c for role in ROLES for c in children(live.process.pid, role)]
    for pid in (live.process.pid, *everything):
        os.kill(pid, signal.SIGKILL)
    until(lambda: not ours(desktop), 3.0)
    until(lambda: not [x for x in json.loads(desktop.ask("pw-dump").stdout) if left_of_ours(x)], 3.0)


def sources_of(desktop, program):
    """The nodes that a program records from now."""
    links = desktop.ask("pw-link", "-l").stdout.splitlines()
    at = [i for i, line in enumerate(links) if line.startswith(f"{program}:input")]
    return {
        links[i + 1].split("|<-")[1].strip().split(":")[0] for i in at if i + 1 < len(links) and "|<-" in links[i + 1]
    }


def test_a_microphone_that_somebody_has_chosen_outlives_all_of_us_silent_and_is_taken_over(
    desktop, sounding, playing, tmp_path
):
    """Open, and the voice is in the air: with all of us killed the other program gets zeros, never the bare
    microphone."""
    live = sounding("--open")
    live.until("up")
    playing("air", 1000.0, 120)
    with open(tmp_path / "call.raw", "wb") as out:
        call = desktop.run("parec", "-d", "brucke.lounge", "--format=float32le", "--channels=2", f"--rate={RATE}",
            "--latency-msec=5", stdout=out)  # fmt: skip
    live.until("heard_by")
    until(lambda: np.abs(np.fromfile(tmp_path / "call.raw", np.float32)[-4800:]).max(initial=0.0) > 0.1, 10)
    for pid in (live.process.pid, *(c for role in ROLES for c in children(live.process.pid, role))):
        os.kill(pid, signal.SIGKILL)
    time.sleep(0.3)  # what stood in its buffers
    killed = (tmp_path / "call.raw").stat().st_size // 4
    began = time.monotonic()
    while time.monotonic() - began < 4.0:
        assert sources_of(desktop, "parec") == {"brucke.lounge"}
        time.sleep(0.1)
    heard = np.fromfile(tmp_path / "call.raw", np.float32)[killed:]
    assert len(heard) > RATE, "it goes on getting sound"
    assert not heard.view(np.uint32).any(), "digital silence"
    again = sounding("--open")
    again.until("up")
    again.until("heard_by")
    assert sources_of(desktop, "parec") == {"brucke.lounge"}
    until(lambda: np.abs(np.fromfile(tmp_path / "call.raw", np.float32)[-4800:]).max() > 0.1, 10)
    again.end()
    assert ours(desktop) == ["brucke.lounge"], "who ends in order leaves it, too"
    assert sources_of(desktop, "parec") == {"brucke.lounge"}
    ended = (tmp_path / "call.raw").stat().st_size // 4
    time.sleep(1.0)
    rest = np.fromfile(tmp_path / "call.raw", np.float32)[ended + RATE // 2 :]
    assert not rest.view(np.uint32).any()
    call.kill()
    until(lambda: not ours(desktop), 3.0)


def test_a_program_is_taken_over_without_its_choosing_and_goes_back_when_brucke_is_killed(
    desktop, sounding, playing, tmp_path
):
    """By a rule that holds for what plays already and for what begins to play."""
    playing("@DEFAULT_SINK@", 440.0)
    time.sleep(0.5)
    before = recording(desktop, tmp_path / "before.raw", 1.0, "box.monitor")[-RATE // 4 :]
    assert level_of(before[:, 0], 440.0) == pytest.approx(0.2, rel=0.05), "it plays straight to the loudspeakers"
    setup = setup_here()
    browser = replace(setup.device("browser"), card=taking("paplay"))
    setup = replace(setup, devices=(setup.devices[0], browser, setup.devices[2]))
    live = sounding("--open", setup=replace(setup, routes=tuple(r for r in setup.routes if r.listener == "lounge")))
    live.until("up")
    time.sleep(1.0)
    heard = recording(desktop, tmp_path / "call.raw", 1.0)[-RATE // 2 :]
    assert level_of(heard[:, 0], 440.0) == pytest.approx(0.2, rel=0.02)
    playing("@DEFAULT_SINK@", 700.0)
    time.sleep(1.0)
    heard = recording(desktop, tmp_path / "both.raw", 1.0)[-RATE // 2 :]
    assert level_of(heard[:, 0], 700.0) == pytest.approx(0.2, rel=0.02), "what began later, too"
    with open(tmp_path / "leaks.raw", "wb") as out:
        box = desktop.run(
            "parec", "-d", "box.monitor", "--format=float32le", "--channels=2", f"--rate={RATE}", stdout=out
        )
        time.sleep(1.0)
        for _ in range(5):
            playing("@DEFAULT_SINK@", 1500.0, 0.3)
            time.sleep(0.6)
        box.terminate()
        box.wait(5)
    leaks = np.fromfile(tmp_path / "leaks.raw", np.float32)
    assert len(leaks) > 3 * RATE
    assert not leaks.any(), "not a frame of five beginnings at the loudspeakers"
    live.process.kill()
    time.sleep(0.5)
    remembered = [
        f for f in (desktop.folder / "state").rglob("*") if f.is_file() and "target" in f.read_text(errors="replace")
    ]
    assert not [f for f in remembered if "brucke" in f.read_text(errors="replace")], "nobody remembers where we sent it"
    after = recording(desktop, tmp_path / "after.raw", 1.0, "box.monitor")[-RATE // 4 :]
    assert level_of(after[:, 0], 440.0) == pytest.approx(0.2, rel=0.05), "it sounds again where it was"


def test_a_server_that_ends_and_comes_back_is_joined_again(desktop, sounding, playing, tmp_path):
    live = sounding("--open")
    live.until("up")
    desktop.stop()
    live.until("down")
    desktop.start()
    live.until("up", 2)
    playing("brucke.in.browser", 440.0)
    time.sleep(1.0)
    heard = recording(desktop, tmp_path / "again.raw", 1.5)[-RATE // 2 :]
    assert level_of(heard[:, 0], 440.0) == pytest.approx(0.2, rel=0.02)
    live.end()


def children(of, role):
    """Process numbers of those below `of` that play a role."""
    found = []
    for entry in Path("/proc").iterdir():
        if entry.name.isdecimal():
            try:
                parent = int((entry / "stat").read_text().rsplit(")", 1)[1].split()[1])
                name = (entry / "comm").read_text().strip()
            except OSError:
                continue
            if parent == of and name == f"brucke {role}"[:15]:
                found.append(int(entry.name))
    return found
