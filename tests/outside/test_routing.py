"""Routing against arithmetic, graph theory and FFmpeg: clicks through every cell, cycles, mono sums, notches, files."""

import math
import time
from fractions import Fraction

import av
import networkx as nx
import numpy as np
import pytest
import soundfile as sf
from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec.structs import replace

from brucke.core.document.setup import Device, Listener, MapPoint, Part, Route, Setup
from brucke.core.knowledge.evidence import Facts, Knowledge
from brucke.core.routing.captures import capture_channels
from brucke.core.routing.feedback_loops import loops, returns
from brucke.core.routing.maps import route_gains
from brucke.core.storage.setup_problems import problems
from brucke.core.timing.double_paths import doubled, first_notch_hz
from brucke.core.timing.paths import Situation
from brucke.engine.step.live import Live
from brucke.engine.step.plan import compile_plan, shape_of
from brucke.engine.step.runner import Runner
from brucke.ports.sounds.file_track import FileTrack
from brucke.ports.sounds.files import SoundFileError
from brucke.ports.sounds.track import Decoder, MemoryTrack, read_track, track_info

RATE = 48000
CLICK = 1e-3  # however loud the table lets it become, no output is held back
SLOT = 2560  # frames between two clicks: longer than the longest delay below and two blocks

widths = st.integers(1, 4)
gains = st.sampled_from([-24.0, -6.0, -1.5, 0.0, 3.0])


@st.composite
def setups(draw):
    """Any few parts and listeners with any routes between them, mapped, delayed, switched off or missing."""
    parts = tuple(
        Part(
            id=f"p{i}", name=f"P{i}", kind="lead", device="box",
            channels=tuple(range(4 * i, 4 * i + draw(widths))), inverted=draw(st.booleans()),
            trim_db=draw(st.sampled_from([0.0, -6.0])),
        )
        for i in range(draw(st.integers(1, 4)))
    )  # fmt: skip
    listeners = tuple(
        Listener(id=f"x{i}", name=f"X{i}", kind="recorder", device="disk", channels=draw(widths))
        for i in range(draw(st.integers(1, 3)))
    )
    routes = []
    for p in parts:
        for x in listeners:
            if draw(st.booleans()):
                cells = [(s, t) for s in range(len(p.channels)) for t in range(x.channels)]
                points = draw(st.lists(st.sampled_from(cells), unique=True, max_size=4))
                routes.append(
                    Route(
                        part=p.id, listener=x.id, on=draw(st.booleans()), gain_db=draw(gains),
                        delay_ms=draw(st.integers(0, 900)) / RATE * 1e3,
                        map=tuple(MapPoint(source=s, target=t, gain_db=draw(gains)) for s, t in points),
                    )
                )  # fmt: skip
    devices = (Device(id="box", name="Box", kind="player"), Device(id="disk", name="Disk", kind="recorder"))
    return Setup(devices=devices, parts=parts, listeners=listeners, routes=tuple(routes))


def expected(setup, part, side, listener):
    """Level of a click at every channel of a listener, from the document and arithmetic alone."""
    route = setup.route(part.id, listener.id)
    levels = [0.0] * listener.channels
    if route is None or not route.on:
        return levels, 0
    sides, wide = len(part.channels), listener.channels
    if route.map:
        points = [(m.source, m.target, m.gain_db) for m in route.map]
    elif sides == 1:
        points = [(0, t, 0.0) for t in range(min(2, wide))]
    elif wide == 1:
        points = [(s, 0, 20 * math.log10(1 / sides)) for s in range(sides)]
    else:
        points = [(i, i, 0.0) for i in range(min(sides, wide))]
    for source, target, db in points:
        if source == side:
            sign = -1 if part.inverted else 1
            levels[target] += sign * 10 ** ((part.trim_db + route.gain_db + db) / 20)
    return levels, round(route.delay_ms / 1e3 * RATE)


@settings(max_examples=60)
@given(setups())
def test_a_tagged_click_arrives_where_the_grid_says_and_nowhere_else(setup):
    """Source: arithmetic. One click a slot through every side of every part; every sample of every listener is
    judged."""
    assert not list(problems(setup))
    runner = Runner(shape_of(setup), compile_plan(setup, Live()))
    rows = {c: i for i, c in enumerate(capture_channels(setup))}
    clicks = [(p, s) for p in setup.parts for s in range(len(p.channels))]
    frames = -(-(len(clicks) + 1) * SLOT // 128) * 128
    ins = np.zeros((len(rows), frames), np.float32)
    want = {x.id: np.zeros((x.channels, frames)) for x in setup.listeners}
    for k, (part, side) in enumerate(clicks):
        ins[rows[(part.device, part.channels[side])], k * SLOT + 7] = CLICK
        for x in setup.listeners:
            levels, delay = expected(setup, part, side, x)
            want[x.id][:, k * SLOT + 7 + delay] += CLICK * np.array(levels)
    outs = [runner.step(np.ascontiguousarray(ins[:, at : at + 128])).copy() for at in range(0, frames, 128)]
    heard = np.concatenate(outs, axis=2)
    for i, x in enumerate(setup.listeners):
        assert np.abs(heard[i, : x.channels] - want[x.id]).max() < 1e-8
        assert not heard[i, x.channels :].any(), "channels a listener does not have stay silent"


@st.composite
def tangles(draw):
    """Parts and listeners with returns between them: calls, loudspeakers, other programs' mixes."""
    n, m = draw(st.integers(1, 5)), draw(st.integers(1, 5))
    listeners = tuple(
        Listener(
            id=f"x{i}", name=f"X{i}", device=f"d{i}", kind=draw(st.sampled_from(["monitor", "call", "program"])),
            air_m=draw(st.sampled_from([0.0, 1.0])),
        )
        for i in range(m)
    )  # fmt: skip
    parts = tuple(
        Part(
            id=f"p{i}", name=f"P{i}", device=f"d{i % m}", channels=(i,),
            kind=draw(st.sampled_from(["lead", "far_end"])),
            source=draw(st.sampled_from(["microphone", "mix", "computer", "far_end"])),
            returns_from=draw(st.sampled_from(["", *(x.id for x in listeners)])),
        )
        for i in range(n)
    )  # fmt: skip
    routes = tuple(
        Route(part=p.id, listener=x.id, on=draw(st.booleans()), gain_db=draw(st.sampled_from([0.0, -120.0])))
        for p in parts
        for x in listeners
        if draw(st.booleans())
    )
    devices = tuple(Device(id=f"d{i}", name=f"D{i}", kind="interface", buffer_frames=128) for i in range(m))
    return Setup(devices=devices, parts=parts, listeners=listeners, routes=routes)


@settings(max_examples=200)
@given(tangles())
def test_loops_are_the_edges_of_the_cycles_that_networkx_finds(setup):
    """Source: networkx, strongly connected components and shortest paths."""
    graph = nx.DiGraph()
    for r in setup.routes:
        if r.on and r.gain_db > -119:
            graph.add_edge(("part", r.part), ("listener", r.listener))
    for back in returns(setup):
        graph.add_edge(("listener", back.listener), ("part", back.part))
    component = {n: i for i, c in enumerate(nx.strongly_connected_components(graph)) for n in c}
    cyclic = {(a[1], b[1]) for a, b in graph.edges if a[0] == "part" and component[a] == component[b]}
    found = {(x.part, x.listener): x for x in loops(setup)}
    assert set(found) == cyclic
    for (part, listener), loop in found.items():
        way = nx.shortest_path_length(graph, ("listener", listener), ("part", part))
        assert 2 * len(loop.ring) - 1 == way, "the shortest way round is told"
        assert loop.ring[-1] == part


@pytest.mark.parametrize(("apart_ms", "notch"), [(1.0, 500.0), (10.0, 50.0), (0.5, 1000.0)])
def test_first_notch_of_two_equal_arrivals(apart_ms, notch):
    """Source: arithmetic, 1/(2Δt); held against the response of the comb itself."""
    assert first_notch_hz(apart_ms / 1e3) == pytest.approx(notch)
    response = abs(1 + np.exp(-2j * np.pi * np.arange(1, 3 * notch) * apart_ms / 1e3))
    assert np.argmin(response[: int(2 * notch)]) + 1 == pytest.approx(notch, abs=1)


def two_ways(**device):
    """A voice that goes to a stream straight and by way of a workstation that also gets it."""
    devices = (
        Device(id="box", name="Box", kind="interface", buffer_frames=128, buffers=2, **device),
        Device(id="work", name="Workstation", kind="workstation", buffer_frames=256),
        Device(id="net", name="Net", kind="stream", buffer_frames=512),
    )
    parts = (
        Part(id="voice", name="Voice", kind="lead", source="microphone", device="box", channels=(0,)),
        Part(id="mix", name="Mix", kind="lead", source="mix", device="work", channels=(0, 1), returns_from="inserts"),
    )
    listeners = (
        Listener(id="ears", name="MicrophoneConsumers", kind="monitor", device="box"),
        Listener(id="inserts", name="Inserts", kind="program", device="work"),
        Listener(id="stream", name="Stream", kind="stream", device="net"),
    )
    routes = (
        Route(part="voice", listener="stream"),
        Route(part="voice", listener="inserts"),
        Route(part="mix", listener="stream"),
    )
    return Setup(devices=devices, parts=parts, listeners=listeners, routes=routes)


def test_a_sound_by_two_ways_and_the_time_between_them():
    """Source: arithmetic. Into the workstation 256 frames, out of it 256 frames: 512 / 48000 s later than straight."""
    setup = two_ways()
    (found,) = doubled(Situation(setup))
    assert (found.part, found.listener, found.via) == ("voice", "stream", "mix")
    assert found.apart_s == pytest.approx(512 / 48000)
    assert found.notch_hz == pytest.approx(48000 / 1024)
    late = replace(setup, routes=(replace(setup.routes[0], delay_ms=512 / 48), *setup.routes[1:]))
    (together,) = doubled(Situation(late, Knowledge(), Facts()))
    assert together.apart_s == pytest.approx(0, abs=1e-9)
    assert together.notch_hz == 0, "then they only add up"
    off = replace(setup, routes=(setup.routes[0], setup.routes[2]))
    assert doubled(Situation(off)) == []


def test_direct_monitoring_and_one_input_taken_twice_are_heard_twice():
    setup = two_ways(direct_monitoring=True)
    setup = replace(setup, routes=(Route(part="voice", listener="ears"),))
    (found,) = doubled(Situation(setup))
    assert found.via == ""
    assert found.apart_s == pytest.approx(512 / 48000), "in and out through the buffers, against none"
    twin = Part(id="again", name="Again", kind="lead", source="microphone", device="box", channels=(0, 1))
    both = replace(
        two_ways(), parts=(setup.parts[0], twin),
        routes=(Route(part="voice", listener="stream"), Route(part="again", listener="stream")),
    )  # fmt: skip
    (found,) = doubled(Situation(both))
    assert (found.part, found.via, found.apart_s) == ("again", "voice", 0.0)


@pytest.mark.parametrize("sides", [1, 2, 3, 4])
def test_a_mono_sum_is_never_louder_than_its_loudest_side(sides):
    """Source: arithmetic; pan without a jump: one side carried to two channels keeps its level in each."""
    part = Part(id="p", name="P", kind="lead", device="d", channels=tuple(range(sides)))
    mono = Listener(id="x", name="X", kind="call", device="d", channels=1)
    route = Route(part="p", listener="x")
    total = sum(g for _, _, g in route_gains(part, mono, route, 0.0))
    assert total == pytest.approx(1.0, abs=1e-5)
    stereo = replace(mono, channels=2)
    both = [g for s, t, g in route_gains(replace(part, channels=(0,)), stereo, route, 0.0)]
    assert both == [1.0, 1.0]


# Reading files


@pytest.fixture(scope="module")
def music(tmp_path_factory):
    """Nine seconds of a made tune as WAV, FLAC, Ogg and MP3, and as the sound of a video."""
    folder = tmp_path_factory.mktemp("tracks")
    t = np.arange(9 * RATE) / RATE
    rng = np.random.default_rng(4)
    tune = np.stack([np.sin(2 * np.pi * 220 * t * (1 + t / 40)), np.sin(2 * np.pi * 331 * t)]) * 0.3
    tune = (tune + rng.standard_normal(tune.shape) * 0.01).astype(np.float32)
    for name in ("tune.wav", "tune.flac", "tune.ogg", "tune.mp3"):
        with sf.SoundFile(folder / name, "w", RATE, 2) as f:
            for at in range(0, tune.shape[1], 4096):
                f.write(tune[:, at : at + 4096].T)
    with av.open(str(folder / "film.mkv"), "w") as film:
        pictures = film.add_stream("mjpeg", rate=5)
        pictures.width, pictures.height, pictures.pix_fmt = 64, 48, "yuvj420p"
        sound = film.add_stream("pcm_s16le", rate=RATE)
        sound.layout = "stereo"
        for i in range(45):
            picture = av.VideoFrame.from_ndarray(np.full((48, 64, 3), 5 * i, np.uint8), format="rgb24")
            film.mux(pictures.encode(picture))
        for at in range(0, tune.shape[1], 1000):
            piece = np.ascontiguousarray((tune[:, at : at + 1000] * 32767).astype(np.int16).T.reshape(1, -1))
            frame = av.AudioFrame.from_ndarray(piece, format="s16", layout="stereo")
            frame.sample_rate, frame.pts, frame.time_base = RATE, at, Fraction(1, RATE)
            film.mux(sound.encode(frame))
        film.mux(pictures.encode(None))
        film.mux(sound.encode(None))
    return folder, tune


@pytest.mark.parametrize(("name", "off"), [("tune.wav", 4e-5), ("tune.flac", 4e-5), ("film.mkv", 1e-4)])
def test_files_without_loss_come_in_sample_by_sample(music, name, off):
    """Source: FFmpeg through `av`, held against what libsndfile wrote."""
    folder, tune = music
    got = read_track(folder / name, RATE)
    assert got.shape == tune.shape
    assert np.abs(got - tune).max() < off
    assert track_info(folder / name).seconds == pytest.approx(9.0, abs=0.05)


@pytest.mark.parametrize("name", ["tune.ogg", "tune.mp3"])
def test_coded_files_are_what_libsndfile_decodes(music, name):
    folder, _ = music
    got, want = read_track(folder / name, RATE), sf.read(folder / name, dtype="float32")[0].T
    frames = min(got.shape[1], want.shape[1])
    assert abs(got.shape[1] - want.shape[1]) <= 1152
    assert np.abs(got[:, :frames] - want[:, :frames]).max() < 1e-4


@pytest.mark.parametrize("name", ["tune.wav", "tune.flac", "tune.ogg", "tune.mp3", "film.mkv"])
@pytest.mark.parametrize("frame", [0, 1, 33_333, 200_000])
def test_seeking_lands_on_the_very_frame_and_in_a_film_on_the_millisecond(music, name, frame):
    folder, _ = music
    whole = read_track(folder / name, RATE)
    decoder = Decoder(folder / name, RATE)
    decoder.seek(frame)
    got = np.concatenate([decoder.chunk() for _ in range(3)], axis=1)
    decoder.close()
    # Matroska's own clock counts whole milliseconds: there, the nearest is as near as it gets.
    off = range(-48, 49) if name == "film.mkv" else (0,)
    near = min(np.abs(got - whole[:, at : at + got.shape[1]]).max() for o in off if (at := frame + o) >= 0)
    assert near < 2e-4


def test_another_rate_is_converted_and_keeps_its_pitch(music, tmp_path):
    """Source: FFmpeg's resampler, held against SciPy's."""
    from scipy.signal import resample_poly

    _, tune = music
    sf.write(tmp_path / "cd.wav", tune[:, : 44100 * 2].T, 44100)
    got = read_track(tmp_path / "cd.wav", RATE)
    want = resample_poly(tune[:, : 44100 * 2], 160, 147, axis=1)
    assert got.shape[1] == pytest.approx(96000, abs=2)
    assert np.sqrt(np.mean((got[:, 2000:90000] - want[:, 2000:90000]) ** 2)) < 0.01


def test_a_file_loops_like_the_same_sound_in_memory(music):
    folder, tune = music
    a, b = FileTrack(folder / "tune.flac", RATE), MemoryTrack(tune)
    a.loop = b.loop = (1000, 1000 + RATE // 2)
    a.wait_ready()
    for track in (a, b):
        track.seek(900)
    a.wait_ready()
    for _ in range(900):
        until = time.monotonic() + 5
        while a._held < 128 and time.monotonic() < until:
            time.sleep(0.0005)  # faster than real time, so the reader may be behind
        assert np.abs(a.block(128) - b.block(128)).max() < 4e-5
    assert a.position == b.position
    assert a.late_frames == 0
    a.close()


def test_bad_files_are_one_sentence(tmp_path, music):
    folder, _ = music
    (tmp_path / "song.mp3").write_bytes(b"this is a letter, not a song" * 40)
    (tmp_path / "none.wav").write_bytes(b"")
    whole = (folder / "tune.wav").read_bytes()
    (tmp_path / "short.wav").write_bytes(whole[: len(whole) // 3])
    lying = bytearray(whole)
    lying[40:44] = (2**31 - 16).to_bytes(4, "little")
    (tmp_path / "lies.wav").write_bytes(bytes(lying))
    with av.open(str(tmp_path / "silent.mkv"), "w") as film:
        pictures = film.add_stream("mjpeg", rate=5)
        pictures.width, pictures.height, pictures.pix_fmt = 64, 48, "yuvj420p"
        film.mux(pictures.encode(av.VideoFrame.from_ndarray(np.zeros((48, 64, 3), np.uint8), format="rgb24")))
        film.mux(pictures.encode(None))
    for name, words in (
        ("song.mp3", "not a sound or video file"), ("none.wav", "not a sound or video file"),
        ("gone.wav", "no such file"), ("silent.mkv", "has no sound in it"),
    ):  # fmt: skip
        with pytest.raises(SoundFileError, match=words) as e:
            track_info(tmp_path / name)
        assert str(e.value).startswith(f"{name}: ")
    assert read_track(tmp_path / "short.wav", RATE).shape[1] < 9 * RATE, "what is there plays"
    assert read_track(tmp_path / "lies.wav", RATE).shape[1] <= 9 * RATE, "what it promises beyond its end does not"
