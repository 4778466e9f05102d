"""An hour and a headset on a desktop of our own, held against what the server's own programs gave and got."""

import time

import numpy as np
import pytest
from msgspec.structs import replace
from scipy.ndimage import median_filter

from brucke.core.document.setup import Device, Moment, MomentRoute, OrderLine, Part, Track

from ..desktop_server import RATE, setup_here, tone
from .sounding import until

SONG_S = 3.0


def test_an_hour_by_the_running_order_gives_the_call_just_that_and_no_bit_while_closed_or_silent(
    desktop, sounding, playing, tmp_path
):
    """Three songs with talk between, silence, closed. The server's own recorder has chosen the microphone from before
    the first until after the last."""
    tone(tmp_path / "song.wav", 440.0, SONG_S + 2)
    here = setup_here()
    song = Part(id="song", name="Song", kind="lead", source="track", device="player", channels=(0, 1),
        tracks=(Track(file="song.wav"),))  # fmt: skip
    line = OrderLine(name="Song", file="song.wav", to_s=SONG_S, moment="sing", after="talk")
    talk = OrderLine(kind="talk", name="Talk", moment="talk")
    moments = (
        Moment(id="sing", name="Sing"),
        Moment(id="talk", name="Talk", routes=(MomentRoute(part="song", listener="lounge", mute=True),)),
    )
    player = Device(id="player", name="Backing player", kind="player")
    setup = replace(
        here, devices=(*here.devices, player), parts=(song, *here.parts[1:]), moments=moments, order=(talk, line) * 3
    )
    live = sounding("--order", setup=setup)
    live.until("up")
    playing("air", 1000.0, 90)
    file = tmp_path / "call.raw"
    with open(file, "wb") as out:
        recorder = desktop.run(
            "parec", "-d", "brucke.lounge", "--format=float32le", "--channels=2", f"--rate={RATE}",
            "--latency-msec=5", stdout=out,
        )  # fmt: skip
        desktop.until(lambda: file.stat().st_size > 0)
        at = {}  # frames that were written by then
        time.sleep(1.5)
        at["open"] = file.stat().st_size // 8
        live.say("open")
        for number in range(6):
            live.say("next")
            live.until("line", number + 1)
            time.sleep(SONG_S + 1.0 if number % 2 else 1.5)
        live.say("silence")
        live.until("silence")
        at["silent"] = file.stat().st_size // 8
        time.sleep(2.0)
        at["again"] = file.stat().st_size // 8
        live.say("silence")
        time.sleep(1.5)
        live.say("close")
        live.until("closed")
        at["closed"] = file.stat().st_size // 8
        time.sleep(2.0)
        recorder.terminate()
        recorder.wait(5)
    live.end()
    got = np.fromfile(file, np.float32)
    got = got[: len(got) // 2 * 2].reshape(-1, 2)
    first, silent, again, closed = (at[x] for x in ("open", "silent", "again", "closed"))
    on_its_way = RATE  # at most, from the engine into the recorder's file
    for stretch in (got[:first], got[silent + on_its_way : again], got[closed + on_its_way :]):
        assert len(stretch) > RATE // 2
        assert not stretch.view(np.uint32).any(), "no bit before, in silence, after"
    frames = RATE // 10
    turned = np.exp(-2j * np.pi * np.outer([440.0, 1000.0], np.arange(frames)) / RATE) * np.hanning(frames) * 2
    windows = got[: len(got) // frames * frames, 1].reshape(-1, frames)
    song_there, voice_there = np.abs(windows @ turned.T / frames).T > 0.02
    edges = np.flatnonzero(np.diff(np.r_[False, median_filter(song_there, 5), False].astype(int)))
    songs = np.diff(edges.reshape(-1, 2)) / 10
    assert songs.ravel() == pytest.approx([SONG_S] * 3, abs=0.8), "three songs, nothing of them in the talk"
    assert voice_there[(first + 2 * RATE) // frames : silent // frames].mean() > 0.95


def test_a_headset_that_goes_from_music_to_calls_by_itself_is_said_within_a_second(desktop, sounding):
    """As a headset by radio does whose microphone is opened: its node goes and comes again with another profile.
    Names of properties as PipeWire has them, value from memory."""

    def headset(profile, codec):
        properties = f"device.description=Headset api.bluez5.profile={profile} api.bluez5.codec={codec}"
        loaded = desktop.ask("pactl", "load-module", "module-null-sink", "sink_name=bluez_output.00_11_22.1",
            f"sink_properties={properties}")  # fmt: skip
        assert loaded.returncode == 0
        desktop.ask("pactl", "set-default-sink", "bluez_output.00_11_22.1")
        return loaded.stdout.strip()

    module = headset("a2dp-sink", "sbc")
    try:
        live = sounding()
        live.until("up")
        time.sleep(1.5)
        desktop.ask("pactl", "unload-module", module)
        module = headset("headset-head-unit", "msbc")
        ways = "from music to calls (a2dp-sink (sbc) to headset-head-unit (msbc))"
        until(lambda: any(ways in e["text"] for e in live.events("wrong")), 5)  # that it was away may come before
        live.end()
    finally:
        desktop.ask("pactl", "unload-module", module)
        desktop.ask("pactl", "set-default-sink", "box")
