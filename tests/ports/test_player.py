"""The backing player, cards by name, and what the computer says of itself."""

import json
import time

import numpy as np
import pytest
import soundfile as sf

from brucke.ports.devices.card_list import check_card, find_name, parse_cards
from brucke.ports.devices.computer import free_bytes, may_sleep
from brucke.ports.devices.kind import DeviceError
from brucke.ports.sounds.file_track import FileTrack
from brucke.ports.sounds.files import SoundFileError
from brucke.ports.sounds.player import BackingPlayer, click
from brucke.ports.sounds.track import MemoryTrack

RATE = 48000


def ramp(seconds=1.0):
    """A track whose every sample says where it stands."""
    n = round(seconds * RATE)
    line = (np.arange(n) / n).astype(np.float32)
    return np.stack([line, -line])


def play(player, frames, block=128):
    return np.concatenate([player.block(block) for _ in range(frames // block)], axis=1)


def test_the_count_in_comes_first_on_its_own_channel_then_the_track_from_its_first_frame():
    player = BackingPlayer(MemoryTrack(ramp()), RATE, beats=4, tempo_bpm=240)
    assert not player.block(128).any(), "nothing before play"
    player.play()
    beat = RATE // 4
    assert player.position == -4 * beat
    out = play(player, 6 * beat)
    assert not out[:2, : 4 * beat].any(), "whoever is not routed to the count-in hears nothing of it"
    starts = [int(np.flatnonzero(out[2, i * beat : (i + 1) * beat])[0]) for i in range(4)]
    assert starts == [starts[0]] * 4
    assert not out[2, 4 * beat :].any()
    first, second = click(RATE, True), click(RATE, False)
    np.testing.assert_array_equal(out[2, : len(first)], first)
    np.testing.assert_array_equal(out[2, beat : beat + len(second)], second)
    np.testing.assert_array_equal(out[:2, 4 * beat : 5 * beat], ramp()[:, :beat])


def test_it_counts_in_only_at_the_beginning_or_at_the_loops():
    player = BackingPlayer(MemoryTrack(ramp()), RATE, beats=2, tempo_bpm=400)
    player.seek(1000)
    player.play()
    assert player.position == 1000, "going on in the middle needs no count-in"
    player.pause()
    player.track.loop = (2400, 4800)
    player.seek(2400)
    player.play()
    assert player.position == 2400 - 2 * round(60 / 400 * RATE)
    play(player, 2 * round(60 / 400 * RATE) + 3600)
    assert player.jumped
    assert 2400 <= player.position < 4800, "round in the loop"


def test_level_changes_without_a_step_and_a_new_track_starts_at_its_beginning():
    player = BackingPlayer(MemoryTrack(np.ones((2, RATE), np.float32)), RATE)
    player.play()
    player.block(128)
    player.gain = 0.0
    falling = player.block(128)
    assert np.abs(np.diff(falling[0])).max() < 0.01, "no click"
    assert falling[0, -1] == 0
    player.use(MemoryTrack(ramp()))
    player.gain = 1.0
    player.block(128)
    np.testing.assert_array_equal(player.block(128), np.concatenate([ramp()[:, 128:256], np.zeros((1, 128))]))


def test_cards_without_channels_with_absurd_rates_or_no_name_are_left_out():
    good = {"name": "Zwölf Kanäle – 音", "inputs": 12, "outputs": 2, "rate_hz": 48000.0, "in_s": 0.01, "out_s": 0.01}
    bad = [{**good, **change} for change in (
        {"inputs": 0, "outputs": 0}, {"outputs": -1}, {"rate_hz": 0.0}, {"rate_hz": -48000.0}, {"rate_hz": 1e9},
        {"name": ""}, {"name": " \t"},
    )]  # fmt: skip
    assert [c.name for c in parse_cards(json.dumps([*bad, good]))] == [good["name"]]
    with pytest.raises(DeviceError, match="The moon: the sound card: not there"):
        check_card("The moon", 1, 1, RATE)


def test_what_the_computer_says(tmp_path):
    assert free_bytes(tmp_path / "not" / "yet") == pytest.approx(free_bytes(tmp_path), rel=0.01)
    assert may_sleep(tmp_path / "nothing") is None
    assert may_sleep(tmp_path) is False, "no battery"
    for name, kind, status in (("mains", "Mains", "x"), ("battery", "Battery", "Discharging")):
        (tmp_path / name).mkdir()
        (tmp_path / name / "type").write_text(kind + "\n")
        (tmp_path / name / "status").write_text(status + "\n")
    assert may_sleep(tmp_path) is True
    (tmp_path / "battery" / "status").write_text("Charging\n")
    assert may_sleep(tmp_path) is False


def test_a_file_that_ends_its_decoder_ends_nothing_else_and_the_song_goes_on(tmp_path):
    """Killed as a crash would; twice at one place, it goes on a little later in the file."""
    file = tmp_path / "ramp.wav"
    sf.write(file, ramp(60.0).T, RATE, subtype="FLOAT")
    track = FileTrack(file, RATE)
    assert track.wait_ready()
    assert track.length == 60 * RATE
    heard = []
    while len(heard) < 10:
        if track._held >= 4800:  # as much as is there
            heard.append(track.block(4800))
    assert not track.jumps
    track._decoder.end()
    track.seek(30 * RATE)
    until = time.monotonic() + 10
    while not (sound := track.block(128)).any():
        assert time.monotonic() < until
        time.sleep(0.01)
    assert track.troubles >= 1
    np.testing.assert_allclose(np.concatenate(heard, axis=1)[0], ramp(60.0)[0, :48000], atol=1e-7)
    assert sound[0, 0] == pytest.approx(0.5, abs=1e-4), "from where it was wanted"
    track.close()
    bad = tmp_path / "noise.wav"
    bad.write_bytes(b"la la la" * 100)
    with pytest.raises(SoundFileError, match=r"noise.wav: the file: not a sound or video file"):
        FileTrack(bad, RATE)


def test_a_card_is_found_again_when_it_was_plugged_in_another_order():
    two = ["Harbour 4: USB Audio (hw:1,0)", "Harbour 4: USB Audio (hw:2,0)"]
    assert find_name(two[0], [two[0]]) == two[0]
    assert find_name(two[0], ["default", two[1]]) == two[1], "it counts otherwise now"
    assert find_name(two[0], two) == two[0], "of two that are alike the one that is called so"
    assert find_name("Harbour 4: USB Audio (hw:3,0)", two) is None, "which of the two it is nobody can tell"
    assert find_name(two[1], [two[0]], taken=(two[0],)) is None, "another device of the setup has that one"
    assert find_name("Quay 2 (hw:1,0)", two) is None
