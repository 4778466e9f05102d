"""The main job from end to end on the stand-ins, through the command line."""

import json

import numpy as np
import pytest
import soundfile as sf
from msgspec.structs import replace

from brucke.commands.cli import main
from brucke.core.document.setup import Route
from brucke.core.knowledge.evidence import Knowledge
from brucke.core.storage.setup_file import load, save
from brucke.demo import FOLDER, SETUP
from brucke.rehearse.rehearsal import People
from brucke.rehearse.rehearsal import rehearse as hold
from brucke.standins.truth import invent
from brucke.takes.dry import dry_sources
from brucke.takes.film import read_film
from brucke.takes.judging import judge
from brucke.takes.proof import prove_listener
from brucke.takes.take import load_take
from brucke.words.review import take_text

FRAME_MS = 1000 / 48000


def rehearse(tmp_path, capsys, *options, setup=SETUP):
    code = main(["rehearse", str(setup), "--out", str(tmp_path / "out"), "--json", *options])
    said = capsys.readouterr()
    assert said.err == ""
    return code, json.loads(said.out)


@pytest.fixture(scope="module")
def exact(tmp_path_factory):
    """One exact rehearsal for all that is asked of it: (exit code, report, folder)."""
    folder = tmp_path_factory.mktemp("exact")
    import contextlib
    import io

    out = io.StringIO()
    with contextlib.redirect_stdout(out):
        code = main(["rehearse", str(SETUP), "--out", str(folder), "--json", "--exact", "--seconds", "20"])
    return code, json.loads(out.getvalue()), folder


def outside(report):
    return [x for x in report["listeners"] if x["kind"] != "monitor"]


def test_before_somebody_is_off_everywhere_and_after_nobody_by_more_than_a_frame(exact):
    code, report, _ = exact
    assert code == 0
    assert {x["kind"] for x in report["listeners"]} == {"monitor", "call", "stream", "recorder"}
    for x in outside(report):
        assert set(x["left_after_ms"]) == {"harp", "voice", "cello"}
        assert max(abs(v) for v in x["left_before_ms"].values()) > 10
        assert max(abs(v) for v in x["left_after_ms"].values()) <= FRAME_MS
        assert x["verdict"] == "in step within 0.01 ms"
        assert x["verdicts"] == dict.fromkeys(("harp", "voice", "cello"), "in_step")


@pytest.mark.parametrize("which", ["before", "after"])
def test_what_nobody_knows_beforehand_is_proved_by_what_came_in(exact, which):
    """As a song of another program and a real voice: no source of any part is given, and the same is found."""
    _, report, folder = exact
    take = load_take(folder / which)
    # In the take of before nobody had measured yet; what came in is judged by what is known now.
    take = replace(take, proof={}, knowledge=load_take(folder / "after").knowledge)
    truth = {x["id"]: x[f"left_{which}_ms"] for x in outside(report)}
    told = 0
    for listener in take.setup.listeners:
        if listener.kind == "monitor":
            continue
        proof = prove_listener(folder / which, take, listener, {}, dry_sources(folder / which, take, 60.0))
        assert proof.lead == "harp", listener.id
        for part in ("voice", "cello"):
            left = proof.left[part]
            assert left.dry
            assert left.windows >= 8
            assert left.median_ms == pytest.approx(truth[listener.id][part], abs=2 * left.error_ms + 0.02)
            assert left.error_ms < 1.0
            told += 1
        half_known = prove_listener(
            folder / which, take, listener, {"harp": mono_of("harp.flac")}, dry_sources(folder / which, take, 60.0)
        )
        assert half_known.left["voice"].median_ms == pytest.approx(proof.left["voice"].median_ms, abs=0.02)
        assert (half_known.left["harp"].dry, half_known.left["voice"].dry) == (False, True)
        only_voice = prove_listener(
            folder / which, take, listener, {"voice": mono_of("voice.flac")}, dry_sources(folder / which, take, 60.0)
        )
        assert only_voice.left["voice"].median_ms == pytest.approx(proof.left["voice"].median_ms, abs=0.02)
    assert told >= 6
    said = take_text(take.setup, judge(replace(take, proof={"recorder": proof}))["recorder"])
    assert said.endswith("if the round trip is right"), said


def mono_of(name):
    sound, _rate = sf.read(FOLDER / name, dtype="float32", always_2d=True)
    return np.ascontiguousarray(sound.mean(axis=1))


def test_the_picture_is_within_half_a_period_and_apart(exact):
    _, report, _ = exact
    stream = next(x for x in report["listeners"] if x["kind"] == "stream")
    assert abs(stream["picture_left_before_ms"]) > 30
    assert abs(stream["picture_left_after_ms"]) <= stream["picture_period_ms"] / 2
    assert stream["hand_off_ms"] < 0.5


def test_what_was_measured_is_the_hidden_truth(exact, nightboat):
    _, report, _ = exact
    truth = invent(nightboat, 1, True)
    table = nightboat.device("table")
    assert report["round_trip_ms"] == pytest.approx(truth.round_trip_frames(table) / 48, abs=0.02 * FRAME_MS)
    # Before, a follower was late by the round trip; that is what was heard at the far ends.
    for x in outside(report):
        assert x["left_before_ms"]["voice"] == pytest.approx(truth.round_trip_frames(table) / 48, abs=FRAME_MS)
    own = next(x["own_sound_ms"] for x in report["listeners"] if x["kind"] == "monitor")
    assert own == pytest.approx(truth.round_trip_frames(table) / 48, abs=FRAME_MS)


def test_what_is_kept_opens_elsewhere_and_holds_what_was_heard(exact):
    _, _, folder = exact
    take = load_take(folder / "after")
    assert set(take.far_ends) == {"lounge_call", "shore_stream"}
    for name in (*take.parts.values(), *take.listeners.values(), take.far_ends["lounge_call"]):
        info = sf.info(folder / "after" / name)
        assert 16 < info.duration <= 20.1
        assert info.samplerate == 48000
    film = read_film(folder / "after" / take.far_ends["shore_stream"])
    assert film.sound.shape[1] / 48000 == pytest.approx(20, abs=0.1)
    assert len(film.times_s) == pytest.approx(20 * 30, abs=5)
    assert np.diff(film.times_s).mean() == pytest.approx(1 / 30, rel=1e-3)
    lounge, _ = sf.read(folder / "after" / take.parts["lounge"])
    assert np.abs(lounge[: 48000 * 15]).max() < 0.01, "the far end has nothing to sing yet"
    setup, knowledge = load(folder / SETUP.name)
    assert setup.route("harp", "shore_stream").delay_ms > 10
    assert {m.key.split(":")[0] for m in knowledge.measurements} == {"round_trip", "picture"}


def test_with_people_the_scatter_and_seed_are_stated_and_the_median_is_in_step(tmp_path, capsys):
    code, report = rehearse(tmp_path, capsys, "--seed", "4", "--seconds", "30")
    assert code == 0
    assert report["seed"] == 4
    assert 3 < report["scatter_ms"] < 12, "as measured: people are told 7 ms"
    for x in outside(report):
        for part, left in x["left_after_ms"].items():
            assert abs(left) <= 1.0 + 3 * x["error_after_ms"][part], (x["id"], part)


def test_a_fault_behind_the_model_is_found_with_part_listener_and_milliseconds(tmp_path, capsys):
    """A box that delays the cello by 5 ms and says so to nobody: the model calls everybody in step, the take does
    not."""
    options = ("rehearse", str(SETUP), "--out", str(tmp_path), "--exact", "--seconds", "17", "--plant", "cello=5")
    assert main([*options, "--json"]) == 1
    report = json.loads(capsys.readouterr().out)
    for x in outside(report):
        assert x["verdicts"] == {"harp": "in_step", "voice": "in_step", "cello": "late"}
        assert x["left_after_ms"]["cello"] == pytest.approx(5.0, abs=FRAME_MS)
        assert x["verdict"] == "cello late 5.0 ms"
    assert main(["prove", str(tmp_path / "after"), "--sounds", str(FOLDER), "--json"]) == 1
    proved = json.loads(capsys.readouterr().out)["listeners"]
    assert {x["id"]: x["verdicts"]["cello"] for x in proved} == {x["id"]: "late" for x in outside(report)}
    assert main(["rehearse", str(SETUP), "--out", str(tmp_path), "--plant", "nobody=5"]) == 2


def test_a_picture_that_is_first_leaves_its_hand_off_value_and_exit_code_1(tmp_path, capsys, nightboat):
    slow = tuple(replace(d, buffer_frames=8192) if d.id == "shore_stream" else d for d in nightboat.devices)
    setup = tmp_path / "slow.brucke.json"
    for name in ("harp", "voice", "cello", "lounge"):
        (tmp_path / f"{name}.flac").symlink_to(FOLDER / f"{name}.flac")
    save(setup, replace(nightboat, devices=slow), Knowledge())
    code, report = rehearse(tmp_path, capsys, "--exact", "--seconds", "17", setup=setup)
    assert code == 1
    stream = next(x for x in report["listeners"] if x["kind"] == "stream")
    assert stream["hand_off_ms"] > 100
    assert stream["verdict"].startswith("picture early")
    assert -stream["picture_left_after_ms"] == pytest.approx(stream["hand_off_ms"], abs=stream["picture_period_ms"] / 2)
    assert max(abs(v) for v in stream["left_after_ms"].values()) <= FRAME_MS


def test_a_silent_instrument_is_in_step_without_being_given_the_round_trip_twice(tmp_path, nightboat, sounds):
    """The cello heard only through the headphones: its player puts the heard sound on the beat, so what goes out of
    the interface is already with the lead, and aligning must not move it against the lead."""
    parts = tuple(replace(p, hears_itself="monitor") if p.id == "cello" else p for p in nightboat.parts)
    own = Route(part="cello", listener="headphones", gain_db=-6)
    setup = replace(nightboat, parts=parts, routes=(*nightboat.routes, own))
    done = hold(setup, Knowledge(), sounds, tmp_path, 16, People(3, exact=True), lambda share, what: None)
    for listener in ("lounge_call", "shore_stream", "recorder"):
        before, after = done.before.proof[listener].left, done.after.proof[listener].left
        assert abs(before["cello"].median_ms) <= FRAME_MS
        assert before["voice"].median_ms > 10
        assert abs(after["cello"].median_ms) <= FRAME_MS
        assert abs(after["voice"].median_ms) <= FRAME_MS
        assert done.setup.route("cello", listener).delay_ms == pytest.approx(
            done.setup.route("harp", listener).delay_ms, abs=0.03
        )


def test_a_setup_without_an_interface_is_refused_in_one_sentence(tmp_path, capsys, nightboat):
    lone = replace(
        nightboat, parts=nightboat.parts[:1], listeners=nightboat.listeners[3:],
        routes=tuple(r for r in nightboat.routes if (r.part, r.listener) == ("harp", "recorder")), moments=(),
    )  # fmt: skip
    (tmp_path / "harp.flac").symlink_to(FOLDER / "harp.flac")
    save(tmp_path / "lone.json", lone, Knowledge())
    assert main(["rehearse", str(tmp_path / "lone.json"), "--out", str(tmp_path / "o")]) == 2
    assert "no round trip can be measured" in capsys.readouterr().err
