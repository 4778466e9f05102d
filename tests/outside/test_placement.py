"""Films of an evening, made by FFmpeg's coders at places that are known, find their place in its take; films of other
evenings with the same backing track find none.

BRUCKE_FILMS says how many films; fifty, and twenty of other evenings, take some minutes.
"""

import json
import os

import numpy as np
import pytest
import soundfile as sf
from scipy.signal import fftconvolve
from soxr import resample

from brucke.commands.cli import main
from brucke.demo import FOLDER
from brucke.takes.placing import place_film
from brucke.takes.take import Take, TakeError, load_take, save_take

from ..films import write_film

RATE = 48000
FILMS = int(os.environ.get("BRUCKE_FILMS", "10"))
CODERS = (("aac", "mp4"), ("libopus", "mkv"), ("libmp3lame", "mkv"), ("flac", "mkv"))
PICTURES = (24.0, 25.0, 29.97, 50.0, 60.0, 0.0)  # 0: of a rate that varies
BEFORE_S, CUT_S = 14.0, 7.0


def one(name):
    return sf.read(FOLDER / f"{name}.flac", dtype="float32", always_2d=True)[0].mean(axis=1)


def played_again(sound, rng):
    """The same notes by a person: phrase by phrase a little earlier or later, faster, at another pitch, louder."""
    out, at = np.zeros_like(sound), 0
    while at < len(sound):
        length = round(rng.uniform(1.5, 4.0) * RATE)
        phrase = sound[at : at + length]
        places = np.arange(0, len(phrase) - 1, 1 + rng.uniform(-0.02, 0.02))
        phrase = np.interp(places, np.arange(len(phrase)), phrase) * rng.uniform(0.6, 1.2)
        begin = min(len(out), max(0, at + round(rng.normal(0, 0.04) * RATE)))
        end = min(len(out), begin + len(phrase))
        out[begin:end] += phrase[: end - begin].astype(np.float32)
        at += length
    return out


def evening(seed):
    """Three times the same track, and a voice and a cello as they were that evening."""
    rng = np.random.default_rng(seed)
    parts = {"harp": np.tile(one("harp"), 3)}
    for name in ("voice", "cello"):
        parts[name] = np.concatenate([played_again(one(name), rng) for _ in range(3)])
    return parts


@pytest.fixture(scope="module")
def take(tmp_path_factory):
    from brucke.demo.make_setup import nightboat

    folder = tmp_path_factory.mktemp("evenings") / "One evening"
    folder.mkdir()
    parts = evening(1)
    parts["voice"] = parts["voice"] + 0.03 * np.pad(parts["harp"], (400, 0))[:-400]  # its microphone hears the track
    (folder / "parts").mkdir()
    for name, sound in parts.items():
        sf.write(folder / "parts" / f"{name}.wav", sound, RATE, subtype="FLOAT")
    files = {name: f"parts/{name}.wav" for name in parts}
    save_take(folder, Take(date="2026-11-28T20:00:00", setup=nightboat(), parts=files))
    return folder, sum(parts.values())


def film_of(path, sound, number):
    coder, ending = CODERS[number % len(CODERS)]
    rate, seconds = PICTURES[number % len(PICTURES)], len(sound) / RATE
    rng = np.random.default_rng(number)
    steps = rng.uniform(1 / 60, 1 / 15, 4000) if not rate else np.full(4000, 1 / rate)
    times = np.concatenate([[0.0], np.cumsum(steps)])
    grey = np.full((48, 64), 90, np.uint8)
    return write_film(
        path.with_suffix(f".{ending}"), times[times < seconds], lambda _t, _p: grey, sound, (64, 48), audio=coder
    )


def room(rng):
    n = round(0.5 * RATE)
    echo = rng.standard_normal(n) * np.exp(-np.arange(n) / (n / 6.9))
    return np.concatenate([[1.0], 0.3 * echo / np.sqrt(np.sum(echo**2))]).astype(np.float32)


def filmed(everything, number):
    """(sound of a film, where its beginning belongs, seconds of it before which it is of something else, when it was
    cut, by how many millionths its clock is fast)."""
    rng = np.random.default_rng(1000 + number)
    begin, seconds = rng.uniform(2, 85), rng.uniform(26, 50)
    ppm, kind = rng.uniform(-100, 100), number % 5
    first, frames = round(begin * RATE), round(seconds * RATE)
    cut = frames // 2 if kind == 1 else frames
    sound = np.concatenate([everything[first : first + cut], everything[first + cut :][round(CUT_S * RATE) :]])[:frames]
    if kind == 2:
        sound = fftconvolve(sound, room(rng))[: len(sound)].astype(np.float32)
    before = BEFORE_S if kind == 3 else 0.0
    sound = np.concatenate([0.4 * one("lounge")[: round(before * RATE)], sound])
    sound = resample(sound, RATE, RATE * (1 + ppm * 1e-6), "VHQ") + 1e-4 * rng.standard_normal(1)
    return sound.astype(np.float32), first / RATE, before, cut / RATE if kind == 1 else None, ppm


@pytest.mark.parametrize("number", range(FILMS))
def test_a_film_is_placed_within_two_milliseconds_whatever_was_done_to_it(take, tmp_path, number):
    folder, everything = take
    sound, begin, before, cut, ppm = filmed(everything, number)
    found = place_film(folder, load_take(folder), film_of(tmp_path / "film", sound, number))
    assert found.match, found
    assert len(found.pieces) == (1 if cut is None else 2), found.pieces
    for piece in found.pieces:
        own = piece.begin_s * (1 - ppm * 1e-6)  # on a clock that is right
        true = begin + own - before + (CUT_S if cut is not None and own > cut - 1 else 0.0)
        assert abs(piece.at_s - true) < 0.002, (number, piece, true)
        assert abs(piece.at_s - true) <= piece.plus_minus_s, (number, piece, true)
        assert piece.drift_ppm == pytest.approx(ppm, abs=max(8.0, 2 * piece.drift_ppm_error))
        assert piece.live_share > 0.6
    if before:
        assert found.pieces[0].begin_s == pytest.approx(before, abs=1.0)
    if cut is not None:
        assert found.pieces[1].begin_s == pytest.approx(cut, abs=1.0)


@pytest.mark.parametrize("seed", range(100, 100 + max(3, FILMS * 2 // 5)))
def test_a_film_of_another_evening_with_the_same_track_is_placed_nowhere(take, tmp_path, seed):
    folder, _everything = take
    rng = np.random.default_rng(seed)
    other, first = sum(evening(seed).values()), round(rng.uniform(2, 85) * RATE)
    file = film_of(tmp_path / "film", other[first : first + 40 * RATE], seed)
    found = place_film(folder, load_take(folder), file)
    assert (found.match, found.reason) == (False, "only_played")
    if seed % 2:
        strange = 0.5 * one("lounge")[: 30 * RATE]
        found = place_film(folder, load_take(folder), film_of(tmp_path / "strange", strange, seed))
        assert (found.match, found.reason) == (False, "no_match")


def test_the_command_says_it_and_what_cannot_be_placed_is_one_sentence(take, tmp_path, capsys):
    folder, everything = take
    sound, begin, before, _cut, _ppm = filmed(everything, 3)
    file = film_of(tmp_path / "phone", sound, 1)
    assert main(["place", str(folder), str(file), "--json"]) == 0
    told = json.loads(capsys.readouterr().out)
    assert told["start_ms"] == pytest.approx(1e3 * (begin - before), abs=4.0)
    assert (told["match"], told["cuts"]) == (True, [])
    assert any("are of something else" in line for line in told["says"])
    assert main(["place", str(folder), str(film_of(tmp_path / "short", sound[: 5 * RATE], 1))]) == 1
    assert "too short" in capsys.readouterr().out
    slow = np.interp(np.arange(0, len(sound) // 2, 0.5), np.arange(len(sound)), sound).astype(np.float32)
    assert main(["place", str(folder), str(film_of(tmp_path / "slow", slow[: 30 * RATE], 1))]) == 1
    assert "another evening" in capsys.readouterr().out
    (tmp_path / "none.mkv").write_bytes(b"no film")
    assert main(["place", str(folder), str(tmp_path / "none.mkv")]) == 2
    assert main(["takes", str(folder.parent), "--json"]) == 0
    (told,) = json.loads(capsys.readouterr().out)["takes"]
    assert told["seconds"] == pytest.approx(len(everything) / RATE)
    with pytest.raises(TakeError):
        place_film(folder, load_take(folder), tmp_path / "gone.mp4")
