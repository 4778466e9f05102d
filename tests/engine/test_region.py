"""Shared memory, commands and the recorder: nothing torn, nothing shifted, nothing lost without being counted."""

import subprocess
import sys
import threading

import numpy as np
import pytest
import soundfile as sf

from brucke.app.recording.take_folders import gap_texts
from brucke.engine.processes.channel import Channel
from brucke.engine.processes.lives import Why, go_on
from brucke.engine.processes.messages import Play, Recording, Seek
from brucke.engine.processes.reading import Reading
from brucke.engine.processes.recorder import Recorder
from brucke.engine.processes.region import Head, Region, record_frames, shape_text
from brucke.engine.step.live import Live
from brucke.engine.step.plan import Plan, compile_plan, shape_of
from brucke.ports.sounds.segments import gaps, read_segments
from brucke.takes.sounds import take_sound


@pytest.fixture
def region(nightboat):
    r = Region(shape_of(nightboat))
    yield r
    r.close()


def same_plan(a: Plan, b: Plan) -> bool:
    return all(np.array_equal(getattr(a, f), getattr(b, f)) for f in Plan.__struct_fields__)


def test_a_plan_is_read_as_it_was_written(region, nightboat):
    plan = compile_plan(nightboat, Live())
    region.write_plan(plan)
    number, read = region.read_plan()
    assert number == 1
    assert same_plan(plan, read)
    read.gain[:] = 9
    assert same_plan(plan, region.read_plan()[1]), "what was read is a copy"


def test_a_plan_read_while_others_are_written_is_never_torn(region, nightboat):
    base = compile_plan(nightboat, Live())
    stop = threading.Event()

    def write():
        k = 0
        while not stop.is_set():
            k += 1
            fill = {f: np.full_like(getattr(base, f), k % 100) for f in Plan.__struct_fields__}
            region.write_plan(Plan(**fill))

    region.write_plan(Plan(**{f: np.zeros_like(getattr(base, f)) for f in Plan.__struct_fields__}))
    writer = threading.Thread(target=write)
    writer.start()
    try:
        for _ in range(400):
            _, plan = region.read_plan()
            values = {float(v) for f in Plan.__struct_fields__ for v in np.unique(getattr(plan, f))}
            assert len(values) == 1, values
    finally:
        stop.set()
        writer.join()


def test_another_process_sees_the_same_memory_and_its_end_destroys_nothing(region):
    region.sound("stimulus")[:3] = (1.5, 2.5, 3.5)
    code = (
        "import sys; from brucke.engine.processes.region import attach, Head\n"
        "r = attach(sys.argv[1], int(sys.argv[2])); print(r.sound('stimulus')[:3].tolist()); r.set(Head.FRAMES, 777)"
    )
    argv = [sys.executable, "-c", code, shape_text(region.shape), str(region.fd)]
    out = subprocess.run(argv, pass_fds=[region.fd], capture_output=True, text=True, check=True)
    assert out.stdout.strip() == "[1.5, 2.5, 3.5]"
    assert region.get(Head.FRAMES) == 777
    assert region.sound("stimulus")[1] == 2.5


def test_commands_arrive_in_order_and_a_closed_side_is_noticed():
    ours, end = Channel.pair()
    theirs = Channel(end)
    assert theirs.receive() is None
    assert not theirs.lost
    for i in range(5):
        assert ours.send(Seek(frame=i))
    assert [theirs.receive().frame for _ in range(5)] == [0, 1, 2, 3, 4]
    ours.close()
    assert theirs.receive() is None
    assert theirs.lost
    assert not theirs.send(Play()), "a dead reader is no exception"


class Feeder:
    """Writes a counting ramp into the record ring, as the engine does."""

    def __init__(self, region):
        self.region, self.ring, self.size = region, region.sound("record_ring"), record_frames(region.shape)

    def feed(self, frames):
        at = self.region.get(Head.RECORDED)
        index = np.arange(at, at + frames)
        self.ring[:, index % self.size] = index.astype(np.float32)[None]
        self.region.set(Head.RECORDED, at + frames)


@pytest.fixture
def recording(region, tmp_path):
    ours, end = Channel.pair()
    recorder = Recorder(region, Channel(end))
    recorder.start(tmp_path, {"parts/voice": [2], "listeners/stream": [20, 21]})
    return recorder, Feeder(region), tmp_path, ours


def segments(folder):
    return read_segments(folder)


def test_tracks_are_continuous_over_the_end_of_the_ring(recording):
    recorder, feeder, folder, ours = recording
    for _ in range(20):
        feeder.feed(feeder.size // 3)
        recorder.drain()
    recorder.stop()
    voice, _ = sf.read(folder / "parts/voice.wav")
    assert np.array_equal(voice, np.arange(20 * (feeder.size // 3)))
    stream, _ = sf.read(folder / "listeners/stream.wav")
    assert stream.shape == (len(voice), 2)
    assert ours.receive() == Recording(folder=str(folder))
    assert ours.receive().frames == len(voice)


def test_an_overrun_is_counted_silence_and_shifts_nothing(recording):
    recorder, feeder, folder, _ = recording
    feeder.feed(feeder.size)
    recorder.drain()
    for _ in range(3):
        feeder.feed(feeder.size - 128)
    recorder.drain()
    recorder.stop()
    voice, _ = sf.read(folder / "parts/voice.wav")
    found = segments(folder)[0]
    assert found.lost_frames > feeder.size
    assert len(voice) == found.frames
    heard = voice != 0
    assert np.array_equal(voice[heard], np.arange(len(voice))[heard]), "every frame stands where it belongs"
    assert np.sum(~heard) == found.lost_frames


def test_a_new_life_begins_a_new_segment_and_what_is_missing_stands_where_it_was(recording):
    recorder, feeder, folder, _ = recording
    feeder.feed(4800)
    recorder.drain()
    feeder.feed(480)  # not yet drained when it ends
    go_on(recorder.region, Why.REPLACED, 50, 123_000_000)
    feeder.feed(960)
    recorder.drain()
    recorder.stop()
    assert sf.info(folder / "parts/voice.wav").frames == 5280
    second, _ = sf.read(folder / "parts/voice.2.wav")
    later = 5280 + 50 * 128
    assert np.array_equal(second, np.arange(later, later + 960))
    assert [(s.number, s.frame, s.monotonic_ns, s.why) for s in segments(folder)][1] == (
        2,
        later,
        123_000_000,
        "engine",
    )
    assert gaps(segments(folder)) == [(5280, 6400, "engine")]
    assert gap_texts(segments(folder), 48000) == ["0.13 s at 0:00 (the engine was replaced)"]
    whole, _ = take_sound(folder, "parts/voice.wav")
    assert np.array_equal(whole[0][:5280], np.arange(5280)), "everything stands where it was"
    assert not whole[0][5280:later].any()
    assert np.array_equal(whole[0][later:], second)
    assert not feeder.ring[:, 5280:later].any(), "nor does anybody who looks at the ring see anything old"


def test_a_second_start_closes_the_first_take(recording, tmp_path):
    recorder, feeder, folder, _ = recording
    feeder.feed(960)
    recorder.start(tmp_path / "next", {"parts/voice": [2]})
    feeder.feed(480)
    recorder.stop()
    assert sf.info(folder / "parts/voice.wav").frames == 960
    next_voice, _ = sf.read(tmp_path / "next/parts/voice.wav")
    assert np.array_equal(next_voice, np.arange(960, 1440))
    recorder.stop()


def test_a_few_rows_of_the_ring_are_read_as_all_of_them_are(region):
    """Across the end of the ring, with a row whose owner came while it ran."""
    reading, shape, size = Reading(region), region.shape, record_frames(region.shape)
    region.sound("record_ring")[:] = np.random.default_rng(1).standard_normal(region.sound("record_ring").shape)
    done = size + size // 3
    region.set(Head.RECORDED, done)
    region["born"][1] = done - 1000
    parts, outs = reading.recent(2.5)
    rows = reading.track_rows([("a", 0, 1), ("b", 1, 2)], [("x", 1, 2)])
    assert np.array_equal(reading.newest(rows["parts/a"], 2.5), parts[0, :1])
    assert np.array_equal(reading.newest(rows["parts/b"], 2.5), parts[1])
    assert np.array_equal(reading.newest(rows["listeners/x"], 2.5), outs[1, :2])
    assert not parts[1, :, : parts.shape[2] - 1000].any()
    assert shape.rate * 2.5 == parts.shape[2]
