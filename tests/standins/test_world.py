"""The simulated world is what it says: delays to the fraction, a real coder, people who play to what they hear."""

import av
import numpy as np
import pytest
import soundfile as sf
from msgspec.structs import replace

from brucke.core.knowledge.evidence import Facts
from brucke.core.measure.correlation import correlate, find_peak
from brucke.core.measure.round_trip import Refusal, RoundTrip, round_trip
from brucke.core.timing.paths import Situation, path, path_latency
from brucke.engine.step.safety import Word
from brucke.rehearse.offline import Offline
from brucke.standins.coder import OpusLink
from brucke.standins.delays import DelayLine, Timeline, read_looped
from brucke.standins.opus_timing import FRAME, LATENCY, PRE_SKIP
from brucke.standins.performer import Performer, phrase_starts
from brucke.standins.truth import invent, reports

from ..conftest import delayed

RATE = 48000


def test_delay_lines_and_reading_keep_fractions(rng):
    x = rng.standard_normal(8000).astype(np.float32)
    line = DelayLine(71.37)
    out = np.concatenate([line.push(x[i : i + 100]) for i in range(0, 8000, 100)])
    assert find_peak(correlate(x, out, (0, 200)), RATE).lag == pytest.approx(71.37, abs=0.01)
    read = read_looped(x, 1234.56, 3000)
    assert find_peak(correlate(read, x, (1000, 1500)), RATE).lag == pytest.approx(1234.56, abs=0.01)
    assert np.allclose(read_looped(x, 10.0, 50), x[10:60], atol=1e-5), "a whole frame is read as it is"
    with pytest.raises(ValueError, match="shorter"):
        DelayLine(3.0)
    line = Timeline(64)
    line.write(60, np.arange(8, dtype=np.float32))
    assert line.take(60, 8).tolist() == list(range(8))
    assert line.take(60, 8).tolist() == [0.0] * 8


def test_the_coder_is_opus_with_its_frame_and_pre_skip_on_one_timeline(sources):
    """RFC 6716: 20 ms frames and 6.5 ms of look-ahead at 48 kHz."""
    assert (FRAME, PRE_SKIP, LATENCY) == (960, 312, 1272)
    voice = sources["voice"][12 * RATE : 16 * RATE]
    link = OpusLink(1, 64_000)
    decoded = np.concatenate([link.push(voice[None, i : i + 128]) for i in range(0, len(voice), 128)], axis=1)[0]
    assert abs(find_peak(correlate(voice[: 3 * RATE], decoded, (-500, 500)), RATE).lag) < 0.05
    assert not np.allclose(decoded[: 2 * RATE], voice[: 2 * RATE], atol=1e-3), "it is a lossy coder"
    assert len(voice) - len(decoded) <= LATENCY + 128


def session(nightboat, sounds, **changes):
    return Offline(nightboat, replace_truth(invent(nightboat, 3, True), **changes), sounds)


def replace_truth(truth, **changes):
    from msgspec.structs import replace as change

    return change(truth, **changes)


@pytest.mark.parametrize(("kind", "loud_db"), [("sweep", -21.0), ("sequence", -18.0)])
def test_the_round_trip_is_measured_through_the_engine_to_the_hidden_truth(nightboat, sounds, kind, loud_db):
    s = session(nightboat, sounds)
    truth = s.world.truth.round_trip_frames(nightboat.device("table"))
    s.world.play()
    s.world.cable = "plugged"
    s.run(0.2)
    for noise, within in ((None, 0.02), (loud_db, 0.05)):
        s.world.noise_db = noise
        sound, heard, spacing = s.measure(0, 2, kind)
        if noise is not None:
            signal = heard[2 * spacing : 2 * spacing + len(sound)]
            last = heard[4 * spacing - RATE // 8 : 4 * spacing]
            assert np.std(signal) < 1.5 * np.std(last), "noise as loud as the signal"
        found = round_trip(sound, heard, 4, spacing, RATE, 0.4)
        assert isinstance(found, RoundTrip)
        assert found.seconds * RATE == pytest.approx(truth, abs=within)


@pytest.mark.parametrize(("cable", "code"), [("unplugged", "silence"), ("loud", "clipped"), ("wandering", "disagree")])
def test_a_bad_cable_is_refused(nightboat, sounds, cable, code):
    s = session(nightboat, sounds)
    s.world.cable = cable
    sound, heard, spacing = s.measure(0, 2)
    found = round_trip(sound, heard, 4, spacing, RATE, 0.4)
    assert isinstance(found, Refusal)
    assert found.code == code


def test_direct_monitoring_left_on_shows_as_a_second_arrival(nightboat, sounds):
    s = session(nightboat, sounds)
    s.world.cable, s.world.direct_monitoring = "plugged", True
    sound, heard, spacing = s.measure(0, 2)
    found = round_trip(sound, heard, 4, spacing, RATE, 0.4)
    assert found.second > 0.12
    assert found.seconds * RATE == pytest.approx(s.world.truth.round_trip_frames(nightboat.device("table")), abs=0.05)


def test_nothing_of_a_measuring_sound_reaches_a_call_a_stream_or_a_recorder(nightboat, sounds):
    """Not while it sounds, and not later out of a delay either."""
    late = replace(nightboat, routes=tuple(replace(r, delay_ms=900.0) for r in nightboat.routes))
    s = Offline(late, invent(nightboat, 3, True), sounds)
    s.world.cable = "plugged"
    others = []
    step = s.runner.step

    def watched(ins):
        outs = step(ins)
        others.append(outs[1:].copy())
        return outs

    s.runner.step = watched
    _, heard, _ = s.measure(0, 2, "sequence")
    s.run(2.5)
    assert np.abs(heard).max() > 0.05, "the measured pair hears it"
    # What is left is the microphone's own noise floor at −96 dBFS, through a compressor with 3 dB of gain.
    assert np.abs(np.concatenate(others, axis=2)).max() < 10 ** (-70 / 20)


def test_on_air_nothing_is_measured(nightboat, sounds):
    s = session(nightboat, sounds)
    s.runner.safety.words[Word.ON_AIR] = 1
    assert s.measure(0, 2) is None


def test_the_application_learns_no_hidden_truth_from_reports(nightboat):
    """Reports are what equipment would say: buffers and a call's rounded delay; converters and pictures are not in
    it."""
    truth = invent(nightboat, 3, True)
    said = reports(nightboat, truth)
    assert set(said) == {"lounge_call:out", "lounge_call:in"}
    assert said["lounge_call:out"] != truth.services["lounge_call"].there_s
    voice, stream = nightboat.part("voice"), nightboat.listener("shore_stream")
    way = path(
        Situation(nightboat, facts=Facts(reported_s=said)), voice, stream, nightboat.route("voice", "shore_stream")
    )
    calculated = path_latency(way).value * RATE
    assert calculated == 256 + 1024, "buffers only"


@pytest.mark.parametrize("own_in_monitor", [False, True])
def test_a_performer_plays_to_what_is_heard(sources, own_in_monitor):
    """Ear and mouth in a closed loop: the heard own sound of a silent instrument falls on the heard beat."""
    lead, stem = sources["harp"], sources["voice"]
    p = Performer(lead, stem, RATE, 0.0, 1, own_in_monitor)
    late, own, n = 1500.4, 800.0, 480
    mouth = np.zeros(20 * RATE, np.float32)
    for at in range(0, 19 * RATE, n):
        ear = read_looped(lead, at - late, n)
        if own_in_monitor and at >= own:
            ear = ear + mouth[int(at - own) : int(at - own) + n]
        p.hear(at, ear.astype(np.float32), 0)
        mouth[at : at + n] = p.play(at, n)
    played = mouth[14 * RATE : 18 * RATE]
    found = find_peak(correlate(played, stem, (10 * RATE, 18 * RATE)), RATE, signed=False)
    expected = 14 * RATE - late + (own if own_in_monitor else 0)
    assert found.lag == pytest.approx(expected, abs=0.5)


def test_human_scatter_moves_phrases_and_stops_with_the_music(sources):
    starts = phrase_starts(sources["voice"], RATE)
    assert 20 < len(starts) < 80
    p = Performer(sources["harp"], sources["voice"], RATE, 0.007, 5)
    p.lateness = 0.0
    shifts = set()
    for at in range(12 * RATE, 40 * RATE, 4800):
        p.play(at, 480)
        shifts.add(p._shift)
    assert 0.003 < np.std(list(shifts)) / RATE < 0.012
    p.hear(0, np.zeros(3 * RATE, np.float32), 0)
    assert p.position(3 * RATE) is None, "silence in the ears: only listening"


def test_a_delayed_copy_helper_is_exact():
    x = np.zeros(64, np.float32)
    x[3] = 1
    assert delayed(x, 5, 64).argmax() == 8


def interface_parts(nightboat, *parts):
    """The Nightboat hour with other parts at its interface."""
    kept = tuple(p for p in nightboat.parts if p.id in ("harp", "picture", "lounge"))
    routes = tuple(r for r in nightboat.routes if r.part in {p.id for p in kept})
    return replace(nightboat, parts=(*kept, *parts), routes=routes, moments=())


def captured(nightboat, sounds, *parts):
    """What the engine gets of each part [sides, frames] in sixteen seconds, while they play to the harp."""
    setup = interface_parts(nightboat, *parts)
    named = {p.id: sounds[p.beat_source.removesuffix(".flac")] for p in setup.parts if p.beat_source}
    world = Offline(setup, invent(setup, 1, True), named)
    world.world.play()
    blocks = []
    for _ in range(16 * RATE // setup.block_frames):
        world.block()
        blocks.append(world.runner.engine.raw.copy())
    taken = np.concatenate(blocks, axis=2)
    return {p.id: taken[i, : len(p.channels)] for i, p in enumerate(q for q in setup.parts if q.channels)}


def test_two_parts_on_one_input_and_a_stereo_part_are_captured_as_real_equipment_would(nightboat, sounds):
    """One input has one converter: what two sing into it adds up and is no later; stereo is on both sides alike."""
    voice, cello = nightboat.part("voice"), nightboat.part("cello")
    beside = replace(cello, channels=voice.channels)
    alone, other = (captured(nightboat, sounds, p)[p.id][0] for p in (voice, beside))
    both = captured(nightboat, sounds, voice, beside)
    assert np.abs(alone).max() > 0.05 < np.abs(other).max()
    assert np.array_equal(both["voice"], both["cello"]), "one input is one input"
    assert np.abs(both["voice"][0] - np.clip(alone + other, -1, 1)).max() < 1e-3
    left, right = captured(nightboat, sounds, replace(voice, channels=(0, 1), source="instrument"))["voice"]
    assert np.abs(left - right).max() < 1e-3
    left, right = captured(nightboat, sounds, replace(voice, channels=(0, 1)))["voice"]
    assert np.abs(left - alone).max() < 1e-3 > np.abs(right).max(), "a microphone has one socket"


def test_two_cameras_take_pictures_each_at_its_own_pace(nightboat, sounds, tmp_path):
    picture = nightboat.part("picture")
    slow = replace(nightboat.device(picture.device), id="second_camera", pictures_per_s=15.0)
    second = replace(picture, id="second", device="second_camera")
    setup = replace(nightboat, devices=(*nightboat.devices, slow), parts=(*nightboat.parts, second))
    world = Offline(
        setup, invent(setup, 1, True), {p.id: sounds[p.id] for p in nightboat.parts if p.id in sounds}
    ).world
    taken = []
    world._show = lambda part, at, seen: taken.append((part.id, at))
    world.keep_far_ends(tmp_path)
    silence = np.zeros((len(setup.listeners), 6, setup.block_frames), np.float32)
    for _ in range(4 * RATE // setup.block_frames):
        world.step(silence.copy())
    world.give_back()
    for id, rate in (("picture", nightboat.device(picture.device).pictures_per_s), ("second", 15.0)):
        times = [at for part, at in taken if part == id]
        assert len(times) == pytest.approx(4 * rate, abs=1)
        assert np.diff(times) == pytest.approx(np.full(len(times) - 1, RATE / rate), abs=1)


def test_a_recording_that_begins_before_the_last_one_is_complete_harms_neither(nightboat, sounds, tmp_path):
    world = Offline(nightboat, invent(nightboat, 1, True), sounds).world
    block = np.zeros((len(nightboat.listeners), 6, nightboat.block_frames), np.float32)

    def second():
        for _ in range(RATE // nightboat.block_frames):
            world.step(block.copy())

    world.keep_far_ends(tmp_path / "a")
    second()
    complete = world.let_go()
    world.keep_far_ends(tmp_path / "b")
    second()
    complete()
    second()
    world.give_back()
    for folder, expected in (("a", 1.0), ("b", 2.0)):
        assert sf.info(tmp_path / folder / "lounge_call.wav").duration == pytest.approx(expected, abs=0.1)
        with av.open(str(tmp_path / folder / "shore_stream.mkv")) as file:
            last = list(file.decode(audio=0))[-1]
        assert last.time == pytest.approx(expected, abs=0.2)
