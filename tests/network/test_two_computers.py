"""Two Bruckes in networks of their own, each with a home of its own: found, agreed, sound both ways, and every trouble.

What is true of time is read from the engines' own counts (frames done, by the clock that both namespaces share), never
from what the application says of it.
"""

import json
import os
import signal
import time
from pathlib import Path

import numpy as np
import pytest
from scipy.signal import correlate

from brucke.core.document.setup import Device, Listener, Part, Route, Setup, Track
from brucke.core.knowledge.evidence import Knowledge
from brucke.core.storage.setup_file import save
from brucke.demo import FOLDER

from .namespaces import Side, inside, listening, missing, network, plug

pytestmark = [pytest.mark.live, pytest.mark.skipif(bool(missing()), reason=missing() or "-")]
RATE = 48000
BACK_S = 2.0


def small_setup(folder):
    """A song and a recorder, and headphones: little to compute, so that two of them run here beside each other."""
    (folder / "harp.flac").write_bytes((FOLDER / "harp.flac").read_bytes())
    setup = Setup(
        name="Small", devices=(
            Device(id="table", name="Table", kind="interface", buffer_frames=128, buffers=2, sets_clock=True),
            Device(id="player", name="Player", kind="player", buffer_frames=1024),
            Device(id="tape", name="Tape", kind="recorder"),
        ),
        parts=(Part(id="song", name="Song", kind="lead", source="track", device="player", channels=(0, 1),
                    tracks=(Track(file="harp.flac"),)),),
        listeners=(Listener(id="phones", name="Headphones", kind="monitor", device="table"),
                   Listener(id="tape", name="Tape", kind="recorder", device="tape")),
        routes=(Route(part="song", listener="phones"),),
    )  # fmt: skip
    save(folder / "small.json", setup, Knowledge())
    return folder / "small.json"


def agree(a, b):
    """`a` asks, `b` shows the digits; both are open to each other afterwards."""
    for side in (a, b):
        side.do("open")
    a.until(lambda s: any(n[1] == b.name for n in s["neighbours"]))
    a.do("agree", name=b.name)
    digits = b.until(lambda s: s["talking"][1])["talking"][1]
    a.until(lambda s: s["talking"][2])
    a.do("code", digits=digits)
    for side in (a, b):
        side.until(answers)


def answers(state):
    return bool(state["peers"]) and all(p["there"] for p in state["peers"].values())


def flows(state):
    return bool(state["peers"]) and any(p["flows"] for p in state["peers"].values())


def take(a, b, key):
    """`b` offers it, `a` takes it, and it goes there: whoever comes while others hear stays closed."""
    b.do("offer", key=key)
    a.until(lambda s: any(key in dict(p["offer"]) for p in s["peers"].values()))
    a.do("take", key=key)
    where = "listeners" if key.startswith("part:") else "parts"
    b.until(lambda s: key in [k for _id, k in s[where]])


def sound(side, name, seconds, tmp, listener=False):
    """(sound, second of the shared clock at which its first frame was done) of a part, or of a listener's sum."""
    file = tmp / f"{side.name}.npz"
    side.do("keep", parts=[] if listener else [name], listeners=[name] if listener else [], seconds=seconds,
            file=str(file))  # fmt: skip
    kept = np.load(file)
    # Frames done at second 0 of the clock, on average within a block; blocks that came late say nothing of it.
    offset = np.percentile(kept["pairs"][:, 0] - kept["pairs"][:, 1] * RATE, 90) - 0.4 * 128
    return kept["sound"][0].astype(float), (int(kept["first"]) - offset) / RATE


def later(x, y):
    """(frames, with fractions, by which x is later than y; how much of x that is): SciPy's correlation."""
    c = correlate(x, y, method="fft")
    at = int(np.argmax(np.abs(c)))
    left, top, right = np.abs(c[at - 1 : at + 2])
    return at - (len(y) - 1) + (left - right) / (2 * (left - 2 * top + right)), top / np.sqrt((x @ x) * (y @ y))


def placed_s(there, here, from_part, to_part, tmp):
    """Seconds from what the sender's engine had to the same sound in the receiver's."""
    y, at_y = sound(there, from_part, 4, tmp)
    x, at_x = sound(here, to_part, 4, tmp)
    frames, share = later(x, y)
    assert share > 0.5, share
    return at_x - at_y + frames / RATE


@pytest.fixture(scope="module")
def pair(tmp_path_factory):
    """Two that agreed, one song each way, both let the other hear."""
    tmp = tmp_path_factory.mktemp("two")
    setup = small_setup(tmp)
    with network(2) as (na, nb):
        before = [listening(n) for n in (na, nb)]
        a, b = Side(na, "Desk", setup, tmp / "a"), Side(nb, "Stage", setup, tmp / "b")
        try:
            for side in (a, b):
                side.do("start")
                side.until(lambda s: s["engine"] == "running", 60)
            assert [listening(n) for n in (na, nb)] == before == [[], []]
            agree(a, b)
            take(a, b, "part:song")
            take(b, a, "part:song")
            for side in (a, b):
                side.do("air", on=True)
                side.until(lambda s: flows(s) and s["matched"], 40)
            yield a, b, tmp
        finally:
            a.end()
            b.end()


def test_sound_of_each_lies_at_the_other_where_the_set_point_says(pair):
    a, b, tmp = pair
    for side in (a, b):
        side.until(lambda s: all(n[1] for n in s["networks"].values()), 40)  # watched for long enough
    for there, here in ((b, a), (a, b)):
        device = "stage" if here is a else "desk"
        for _ in range(3):
            found = placed_s(there, here, "song", f"song_{device}", tmp)
            state = here.state()
            said, plus_minus = state["matched"][device][0], state["networks"][device][0]
            assert abs(found - said) < max(plus_minus, 3e-4), (found, said, plus_minus)
        assert plus_minus < 1e-3
        assert state["matched"][device][0] < 0.25


def test_the_way_there_costs_what_the_other_side_says(pair):
    a, b, _tmp = pair
    there = b.until(lambda s: s["matched"].get("desk", [0])[0])["matched"]["desk"][0]
    a.until(lambda s: abs(s["matched"]["stage"][1] - there) < 1e-4 or b.state()["matched"]["desk"][0] != there)


def test_what_is_closed_there_is_silence_here_to_the_bit(pair):
    a, b, tmp = pair
    b.do("air", on=False)
    time.sleep(2.0)
    x, _ = sound(a, "song_stage", 1.0, tmp)
    assert not x.any()
    b.do("air", on=True)
    time.sleep(2.0)
    x, _ = sound(a, "song_stage", 1.0, tmp)
    assert np.abs(x).max() > 0.01


def silent_and_back(a, b, tmp, trouble, mend, by_itself=()):
    """`trouble`, then `mend`: silence meanwhile, doors as they were, and sound again within two seconds."""
    trouble()
    for side in (a, b):
        if side not in by_itself:
            side.until(lambda s: s["missing"], 4)
    doors = [side.state()["open"] for side in (a, b)]
    time.sleep(1.0)
    if a not in by_itself:
        x, _ = sound(a, "song_stage", 0.3, tmp)
        assert not x.any()
    mend()
    began = time.monotonic()
    for side in (a, b):
        side.until(lambda s: answers(s) and not s["missing"], 10)
    answered = time.monotonic() - began
    for side in (a, b):
        side.until(flows, 10)
    assert [side.state()["open"] for side in (a, b)] == doors
    return answered, time.monotonic() - began


def test_a_cable_that_is_out_for_three_seconds(pair):
    a, b, tmp = pair

    def out():
        plug("brb", False)

    def in_again():
        time.sleep(1.5)
        plug("brb", True)

    answered, sounded = silent_and_back(a, b, tmp, out, in_again)
    assert sounded < BACK_S + 1.5, (answered, sounded)
    assert any("does not answer" in said for said in a.state()["said"])


@pytest.mark.parametrize("which", ["here", "there"])
def test_a_process_that_is_killed_is_back_by_itself(pair, which):
    a, b, _tmp = pair
    side = a if which == "here" else b
    before = next(iter(side.state()["peers"].values()))
    os.kill(before["pid"], signal.SIGKILL)
    began = time.monotonic()
    side.until(lambda s: next(iter(s["peers"].values()))["restarts"] > before["restarts"], 5)
    for each in (a, b):
        each.until(lambda s: answers(s) and flows(s) and not s["missing"], 10)
    assert time.monotonic() - began < BACK_S + 2.0, time.monotonic() - began
    assert a.state()["open"]
    assert b.state()["open"]


def test_another_address(pair):
    a, b, _tmp = pair
    inside("ip", "brb", "addr", "flush", "dev", "wire")
    inside("ip", "brb", "addr", "add", "10.77.0.9/24", "dev", "wire")
    inside("ip", "brb", "route", "replace", "224.0.0.0/4", "dev", "wire")
    began = time.monotonic()
    a.until(lambda s: any(p["address"] == "10.77.0.9" and p["there"] for p in s["peers"].values()), 10)
    for side in (a, b):
        side.until(lambda s: answers(s) and flows(s) and not s["missing"], 10)
    assert time.monotonic() - began < 6.0
    assert not any(n[1] for n in a.state()["networks"].values())  # unconfirmed: it is another way


def test_keys_stand_in_no_argument_and_files_are_their_owners_alone(pair):
    a, b, _tmp = pair
    for side in (a, b):
        folder = side.home / "config" / "brucke" / "peers"
        files = list(folder.iterdir())
        assert {"peer_key.pem", "agreed_peers.json"} <= {f.name for f in files}
        assert all(f.stat().st_mode & 0o077 == 0 for f in files)
        secret = (folder / "peer_key.pem").read_text().splitlines()[1]
        for pid in [p["pid"] for p in side.state()["peers"].values()]:
            said = Path(f"/proc/{pid}/cmdline").read_text()
            assert secret not in said
            assert "srtp-key" not in said


def test_nothing_listens_once_it_is_closed(pair):
    a, b, _tmp = pair
    assert listening("bra") != []
    a.do("close")
    b.until(lambda s: not s["peers"], 5)
    b.do("close")
    time.sleep(0.5)
    assert [listening(n) for n in ("bra", "brb")] == [[], []]
    assert a.until(lambda s: s["missing"], 5)["missing"] == ["stage"]
    assert json.dumps(a.state()["listeners"])  # what was taken stays in the setup, silent
