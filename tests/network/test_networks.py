"""More than two, a bad network, and two people who have never done it."""

import time
from pathlib import Path

import numpy as np
import pytest
import soundfile as sf
import soxr
from msgspec.structs import replace

from brucke.core.document.setup import Device, Listener, Part, Route
from brucke.core.knowledge.evidence import Knowledge
from brucke.core.measure.take_offset import left_between
from brucke.core.storage.setup_file import load, save
from brucke.demo import FOLDER

from .namespaces import Side, listening, missing, network, shaped_wire
from .pairs import RATE, agree, answers, begin, flows, hear_each_other, later, placed_s, small_setup, sound, take

pytestmark = [pytest.mark.live, pytest.mark.skipif(bool(missing()), reason=missing() or "-")]


def test_two_senders_of_one_name_are_two_and_neither_is_garbled(tmp_path):
    """At a third of the rate, so that three of them run here beside each other."""
    here, harp, cello = (small_setup(tmp_path, song, 16000) for song in ("lounge.flac", "harp.flac", "cello.flac"))
    with network(3) as names:
        called = zip(names, ("Desk", "Stage", "Stage"), (here, harp, cello), strict=True)
        sides = [Side(n, name, setup, tmp_path / n) for n, name, setup in called]
        desk, one, other = sides
        try:
            for side in sides:
                side.do("open")
                side.do("start")
            shown = desk.until(lambda s: sum(n[1] == "Stage" for n in s["neighbours"]) == 2)["neighbours"]
            assert len({id for id, *_ in shown}) == 2
            for count in (1, 2):
                desk.do("agree", name="Stage")
                shows = [s for s in (one, other) if s.until(lambda st: True)["talking"][1]] or [
                    s for s in (one, other) if waits_for_digits(s)
                ]
                desk.until(lambda s: s["talking"][2])
                desk.do("code", digits=shows[0].state()["talking"][1])
                desk.until(lambda s, count=count: len(s["peers"]) == count and answers(s))
            for side in (one, other):
                side.do("offer", key="part:song")
            desk.until(lambda s: all(p["offer"] for p in s["peers"].values()))
            desk.do("take", key="part:song")
            for side in (one, other):
                side.until(lambda s: any(k == "part:song" for _, k in s["listeners"]))
                side.do("air", on=True)
            state = desk.until(lambda s: all(p["flows"] for p in s["peers"].values()) and len(s["matched"]) == 2, 60)
            taken = [id for id, key in state["parts"] if key]
            assert len(taken) == 2
            names_there = {p["name"] for p in state["peers"].values()}
            assert names_there == {"Stage"}
            time.sleep(4)
            heard = {id: sound(desk, id, 3, tmp_path, rate=16000)[0] for id in taken}
            own = {s: sound(s, "song", 4, tmp_path, rate=16000)[0] for s in (one, other)}
            shares = np.array([[later(heard[id], own[s])[1] for s in (one, other)] for id in taken])
            assert sorted(shares.argmax(axis=1)) == [0, 1]
            assert shares.max(axis=1).min() > 0.5
            assert shares.min(axis=1).max() < 0.3  # the two play one tune
        finally:
            for side in sides:
                side.end()


def waits_for_digits(side):
    try:
        side.until(lambda s: s["talking"][1], 3)
    except AssertionError:
        return False
    return True


SING = ("Sing to a backing track: A track, your voice, headphones, a call and a recorder. You will hear the music, and "
        "them. They will hear you and the music, in step.")  # fmt: skip


def test_from_two_empty_homes_to_the_first_sound_in_eight_presses_and_four_digits(tmp_path):
    presses = 0

    def press(side, text):
        nonlocal presses
        side.do("press", text=text)
        presses += 1

    def key(side, name):
        nonlocal presses
        side.do("key", key=name)
        presses += 1

    with network(2) as (na, nb):
        a = Side(na, "Desk", "none", tmp_path / "a", node="window_node.py")
        b = Side(nb, "Stage", "none", tmp_path / "b", node="window_node.py")
        try:
            press(b, SING)
            key(a, "Ctrl+T")
            key(b, "Ctrl+T")
            a.until(lambda s: s["neighbours"])
            press(a, "Agree on a code")
            digits = b.until(lambda s: s["talking"][1])["talking"][1]
            a.until(lambda s: s["talking"][2])
            a.do("type", text=digits)
            b.until(answers)
            press(b, "Music")
            a.until(lambda s: any(p["offer"] for p in s["peers"].values()))
            press(a, "Music")
            b.until(lambda s: any(k for _, k in s["listeners"]))
            press(b, "Let them hear")
            press(b, "Play")
            state = a.until(lambda s: flows(s) and s["matched"], 60)
            part = next(id for id, at in state["parts"] if at)
            a.until(lambda s: np.abs(sound(a, part, 0.5, tmp_path)[0]).max() > 1e-3, 60)
            assert presses <= 8
        finally:
            a.end()
            b.end()


def sung_setup(folder, rate=RATE):
    """A song, a voice that sings along to it by ear, and somebody in a call who plays along to what comes there."""
    folder.mkdir(exist_ok=True)
    file = small_setup(folder, rate=rate)
    setup, _ = load(file)
    for name in ("voice.flac", "lounge.flac"):
        (folder / name).write_bytes((FOLDER / name).read_bytes())
    voice = Part(id="voice", name="Voice", kind="follower", source="microphone", device="table", channels=(0,),
                 follows="song", hears_at="phones", beat_source="voice.flac")  # fmt: skip
    song = replace(setup.parts[0], beat_source="harp.flac", timebase="player")
    lounge = Part(id="lounge", name="Lounge", kind="far_end", source="far_end", device="call", channels=(0,),
                  beat_source="lounge.flac")  # fmt: skip
    call = Device(id="call", name="Call", kind="call", buffer_frames=480, rate_hz=rate)
    setup = replace(
        setup, parts=(song, voice, lounge), devices=(*setup.devices, call),
        listeners=(*setup.listeners, Listener(id="call", name="Lounge", kind="call", device="call")),
        routes=(*setup.routes, Route(part="song", listener="call")),
    )  # fmt: skip
    save(folder / "sung.json", setup, Knowledge())
    return folder / "sung.json"


def left_there(side, sources):
    """Seconds by which the voice is later than the song in what is recorded there now. A recording in which something
    stood still tells nothing: the windows contradict each other then, and it is recorded anew."""
    for _ in range(4):
        old = side.state()["takes"]
        time.sleep(3)
        side.do("record")
        side.until(lambda s: s["taking"] == "recording", 20)
        time.sleep(25)
        side.do("record")
        new = side.until(lambda s: s["taking"] == "idle" and len(s["takes"]) > len(old), 30)["takes"]  # noqa: B023
        folder = Path(next(t for t in new if t not in old)).parent
        pieces = [sf.read(f, dtype="float32") for f in sorted(folder.rglob("tape*.wav"))]
        recording = np.concatenate([sound.mean(axis=1) for sound, _rate in pieces])
        found = left_between(sources, "song", soxr.resample(recording, pieces[0][1], RATE), RATE)
        if found is not None and found.left["voice"].agree and found.left["voice"].windows > 8:
            # Who is called from here is heard there, too.
            assert found.left["lounge"].windows > 3, found.left
            return found.left["voice"].median_s
    raise AssertionError(f"no recording could be judged: {found}")


def test_who_listens_there_is_in_step_over_a_bad_network_in_the_file_recorded_there(tmp_path, monkeypatch):
    """20 ms each way ± 5 ms, one packet in a hundred lost; a song, a voice and a far end go there, another song comes
    back. People who play to the frame: what is left is ours."""
    monkeypatch.setenv("BRUCKE_EXACT", "1")
    files = {"song": "harp.flac", "voice": "voice.flac", "lounge": "lounge.flac"}
    read = {k: sf.read(FOLDER / file, always_2d=True)[0].mean(axis=1) for k, file in files.items()}
    sources = {k: np.ascontiguousarray(v, np.float32) for k, v in read.items()}
    with shaped_wire(delay_ms=[20, 20], jitter_ms=5, loss=0.01) as ((na, nb), _change):
        a = Side(na, "Desk", sung_setup(tmp_path), tmp_path / "a")
        b = Side(nb, "Stage", small_setup(tmp_path, "cello.flac"), tmp_path / "b")
        try:
            for side in (a, b):
                side.do("start")
            for _ in range(4):
                a.until(lambda s: s["engine"] == "running", 60)
                a.do("measure")
                if a.until(lambda s: not s["measuring"], 60)["measured"]:
                    break
            assert a.state()["measured"], a.state()["said"]
            agree(a, b)
            b.do("offer", key="listener:tape")
            a.until(lambda s: any("listener:tape" in dict(p["offer"]) for p in s["peers"].values()))
            a.do("take", key="listener:tape")
            take(a, b, "part:song")
            a.do("offer", key="part:lounge")
            b.until(lambda s: any("part:lounge" in dict(p["offer"]) for p in s["peers"].values()))
            b.do("take", key="part:lounge")
            a.until(lambda s: any(k == "part:lounge" for _, k in s["listeners"]))
            for side in (a, b):
                side.do("air", on=True)
            b.until(lambda s: all(len(p["flows"]) == 2 for p in s["peers"].values()) and s["matched"], 60)
            a.until(lambda s: flows(s) and s["matched"], 60)
            assert np.abs(sound(a, "song_stage", 3, tmp_path)[0]).max() > 0.01
            left = {"before": left_there(b, sources)}
            for _ in range(3):  # once more where the set point grew meanwhile
                was = a.until(lambda s: s["matched"].get("stage", [0, 0])[1] > 0, 20)["matched"]["stage"][1]
                a.do("align")
                left["after"] = left_there(b, sources)
                if a.state()["matched"]["stage"][1] == was:
                    break
            assert abs(left["before"]) > 3e-3, left
            assert abs(left["after"]) < 1e-3, left
            assert a.state()["verdicts"]["tape_stage"] == "in_step"
        finally:
            a.end()
            b.end()


def test_the_plus_minus_holds_the_truth_where_the_two_ways_are_unequal(tmp_path):
    """Three and nine milliseconds, then the other way round: no exchange can tell, so ± has to hold it."""
    with shaped_wire(delay_ms=[3, 9], jitter_ms=0.3) as ((na, nb), change):
        a = Side(na, "Desk", small_setup(tmp_path), tmp_path / "a")
        b = Side(nb, "Stage", small_setup(tmp_path), tmp_path / "b")
        try:
            begin(a, b)
            agree(a, b)
            take(a, b, "part:song")
            b.do("air", on=True)
            a.until(lambda s: flows(s) and s["matched"], 60)
            wrong = []
            for there, back in ((3, 9), (9, 3)):
                change(delay_ms=[there, back])
                time.sleep(12)  # it goes there by less than two cents
                for _ in range(2):
                    found, state = placed_s(b, a, "song", "song_stage", "stage", tmp_path)
                    said, _out, _ppm, wander, _lost = state["matched"]["stage"]
                    plus_minus = state["networks"]["stage"][0] + wander
                    assert abs(found - said) < plus_minus, (found, said, plus_minus, wander)
                    assert plus_minus > 5.5e-3
                    wrong.append(found - said)
            assert max(map(abs, wrong)) > 2e-3  # it was not for nothing
        finally:
            a.end()
            b.end()


def killed_and_back(victim, again, other, namespace, part, tmp_path):
    """`again` makes the one that is killed once more; `other` hears its song as `part`."""
    victim.process.kill()
    victim.process.wait()
    other.until(lambda s: s["missing"] and not answers(s), 10)
    end = time.monotonic() + 10
    while listening(namespace):  # nothing of it stays behind
        assert time.monotonic() < end
        time.sleep(0.1)
    time.sleep(1.0)
    assert not sound(other, part, 0.5, tmp_path)[0].any()
    assert other.state()["open"]
    back = again()
    begin(back)
    assert not back.state()["open"]
    for side in (other, back):
        side.do("open")
    back.until(lambda s: any(n[1:] == [other.name, True] for n in s["neighbours"]))
    back.do("ask", name=other.name)
    other.until(lambda s: s["asks"])
    other.do("answer", yes=True)
    for side in (other, back):
        side.until(answers)
    back.do("offer", key="part:song")
    other.until(flows, 60)
    time.sleep(3)
    assert not sound(other, part, 1.0, tmp_path)[0].any()  # a Brucke that begins is closed
    back.do("air", on=True)
    end = time.monotonic() + 20
    while not sound(other, part, 0.5, tmp_path)[0].any():
        assert time.monotonic() < end
    return back


def test_a_brucke_that_is_killed_whole_is_gone_and_is_asked_anew_and_then_the_other_one(tmp_path):
    with network(2) as (na, nb):
        setup = small_setup(tmp_path)
        make_a, make_b = (lambda n=n, name=name: Side(n, name, setup, tmp_path / n)
                          for n, name in ((na, "Desk"), (nb, "Stage")))  # fmt: skip
        a, b = make_a(), make_b()
        try:
            begin(a, b)
            agree(a, b)
            hear_each_other(a, b)
            b = killed_and_back(b, make_b, a, nb, "song_stage", tmp_path)
            take(b, a, "part:song")
            b.until(flows, 60)
            a = killed_and_back(a, make_a, b, na, "song_desk", tmp_path)
        finally:
            a.end()
            b.end()


def test_a_song_a_voice_and_a_far_end_go_both_ways_at_once(tmp_path):
    """At half of the rate, so that two of them run here beside each other."""
    with shaped_wire(delay_ms=[20, 20], jitter_ms=5, loss=0.01) as ((na, nb), _change):
        a, b = (
            Side(n, name, sung_setup(tmp_path / name, RATE // 2), tmp_path / n)
            for n, name in ((na, "Desk"), (nb, "Stage"))
        )
        try:
            begin(a, b)
            agree(a, b)
            names = "song", "voice", "lounge"
            for name in names:
                take(a, b, f"part:{name}")
                take(b, a, f"part:{name}")
            for side in (a, b):
                side.do("air", on=True)
            for side in (a, b):
                side.until(lambda s: all(len(p["flows"]) == 3 for p in s["peers"].values()) and s["matched"], 60)
            end = time.monotonic() + 60
            for here, there, device in ((a, b, "stage"), (b, a, "desk")):
                for name in names:
                    while True:  # who sings pauses now and then
                        came, own = (
                            sound(side, id, 4, tmp_path, rate=RATE // 2)[0]
                            for side, id in ((here, f"{name}_{device}"), (there, name))
                        )
                        if later(came, own)[1] > 0.5:
                            break
                        assert time.monotonic() < end, (here.name, name)
        finally:
            a.end()
            b.end()
