"""Bleed of a cello in a singer's microphone, planted by a room of SciPy's making, against what was planted."""

import numpy as np
import pytest
import soundfile as sf
from scipy.signal import fftconvolve, resample_poly

from brucke.commands.cli import main
from brucke.core.measure.bleed import RATE_HZ, only_bleed
from brucke.demo import FOLDER
from brucke.takes.take import Take, load_take, save_take

LEAST_S = 0.3  # a shorter pause of a voice is none


def stem(name):
    sound, rate = sf.read(FOLDER / f"{name}.flac", dtype="float32", always_2d=True)
    assert rate == 3 * RATE_HZ
    return resample_poly(sound.mean(axis=1), 1, 3).astype(np.float32)


def level_db(sound):
    """Per 10 ms."""
    count = len(sound) // 160
    return 10 * np.log10((sound[: count * 160].reshape(count, 160) ** 2).mean(axis=1) + 1e-14)


def sung_with_pauses(rng):
    voice, at = stem("voice"), int(rng.uniform(1, 3) * RATE_HZ)
    while at < len(voice):
        pause = int(rng.uniform(0.4, 5) * RATE_HZ)
        gain = np.zeros(len(voice[at : at + pause]), np.float32)
        edge = min(320, len(gain))
        gain[:edge] = np.linspace(1, 0, edge)
        if len(gain) > 640:
            gain[-320:] = np.linspace(0, 1, 320)
        voice[at : at + pause] *= gain
        at += pause + int(rng.uniform(1, 6) * RATE_HZ)
    return voice


def picked_up(cello, rng, room_s=0.15):
    """4 to 12 ms away, in a room."""
    length, away = int(room_s * RATE_HZ), int(rng.uniform(0.004, 0.012) * RATE_HZ)
    way = np.zeros(length + 400)
    way[away] = 1.0
    tail = 0.15 * rng.standard_normal(length) * np.exp(-np.arange(length) / (length / 5))
    way[away + 40 : away + 40 + length] += tail[: len(way) - away - 40]
    return fftconvolve(cello, way)[: len(cello)].astype(np.float32)


def sounding_rms(sound, under_db):
    level = level_db(sound)
    on = level > level.max() - under_db
    return float(np.sqrt(np.mean(sound[: len(level) * 160].reshape(-1, 160)[on] ** 2)))


@pytest.mark.parametrize("seed", range(6))
def test_bleed_at_minus_20_db_is_offered_and_the_voice_is_not(seed):
    rng = np.random.default_rng(seed)
    voice, cello = sung_with_pauses(rng), stem("cello")
    bleed = picked_up(cello, rng)
    bleed *= 0.1 * sounding_rms(voice, 55) / sounding_rms(bleed, 40)
    mic = (voice + bleed + 10 ** (-75 / 20) * rng.standard_normal(len(voice))).astype(np.float32)
    offered = np.zeros(len(level_db(mic)), bool)
    for a, b in only_bleed(mic, [cello]):
        offered[round(a * 100) : round(b * 100)] = True
    sung = level_db(voice) > level_db(voice).max() - 50
    alone = ~sung & (level_db(bleed) > -69) & (level_db(voice) < level_db(bleed) - 10)
    edges = np.flatnonzero(np.diff(np.concatenate([[0], alone, [0]]).astype(int)))
    for a, b in zip(edges[::2], edges[1::2], strict=True):
        alone[a:b] = b - a >= 100 * LEAST_S
    assert alone.sum() > 1000, "there is something to find"
    assert offered[alone].mean() >= 0.95
    assert offered[sung].mean() < 0.01


def test_where_nothing_is_picked_up_or_nothing_else_plays_nothing_is_offered():
    rng = np.random.default_rng(7)
    voice, cello = sung_with_pauses(rng), stem("cello")
    noisy = (voice + 1e-3 * rng.standard_normal(len(voice))).astype(np.float32)
    wrong = sum(b - a for a, b in only_bleed(noisy, [cello]))
    assert wrong < 0.01 * len(voice) / RATE_HZ
    assert only_bleed(noisy, [np.zeros_like(cello)]) == []
    assert only_bleed(np.zeros_like(voice), [cello]) == []
    assert only_bleed(voice[:100], [cello[:100]]) == []


def test_the_command_offers_and_mutes_only_when_asked(nightboat, tmp_path, capsys):
    rng = np.random.default_rng(3)
    voice, cello = sung_with_pauses(rng)[: 40 * RATE_HZ], stem("cello")[: 40 * RATE_HZ]
    mic = voice + 0.1 * picked_up(cello, rng) + 1e-4 * rng.standard_normal(len(voice))
    (tmp_path / "parts").mkdir()
    for name, sound in (("voice", mic), ("cello", cello)):
        sf.write(tmp_path / f"parts/{name}.wav", resample_poly(sound, 3, 1), 48000, subtype="FLOAT")
    parts = {name: f"parts/{name}.wav" for name in ("voice", "cello")}
    save_take(tmp_path, Take(date="2026-11-28T20:15:30", setup=nightboat, parts=parts))
    assert main(["bleed", str(tmp_path), "--part", "voice"]) == 0
    assert "stretches" in capsys.readouterr().out
    assert load_take(tmp_path).edits.of("voice").muted == ()
    assert main(["bleed", str(tmp_path), "--part", "voice", "--cut", "--json"]) == 0
    assert len(load_take(tmp_path).edits.of("voice").muted) > 2
    assert main(["bleed", str(tmp_path), "--part", "harp"]) == 2
