"""The commands that work on one sound: how loud it is, and its noise taken out."""

import argparse
import math
from pathlib import Path
from typing import Any

import numpy as np

from ..core.sound.noise_profile import NoiseProfile, NotSilent, learn
from ..core.storage.noise_profile_file import load_profile, save_profile
from ..core.units import gain_to_db
from ..ports.sounds.files import F32, read_sound, write_sound
from ..words import timing
from ..words.shape import not_silent_text
from .command_line import CommandLine, least_gain, share
from .output import CannotDo, emit

BLOCK = 128


def _number(value: float) -> float | None:
    """JSON has no infinity: null where nothing was loud enough to be measured."""
    return value if math.isfinite(value) else None


def loudness(args: argparse.Namespace) -> int:
    from ..core.sound.loudness import LoudnessMeter

    sound, rate = read_sound(args.file)
    meter = LoudnessMeter(rate, sound.shape[0])
    for at in range(0, sound.shape[1], rate):
        meter.push(sound[:, at : at + rate])
    found = meter.result()
    result = {
        "integrated_lufs": _number(found.integrated_lufs),
        "momentary_max_lufs": _number(found.momentary_max_lufs),
        "short_term_max_lufs": _number(found.short_term_max_lufs),
        "range_lu": found.range_lu,
        "true_peak_dbtp": _number(found.true_peak_dbtp),
    }

    def lines() -> list[str]:
        def text(value: float | None, unit: str) -> str:
            return "nothing to measure" if value is None else f"{value:.1f} {unit}".replace("-", "−")

        return [
            f"integrated {text(result['integrated_lufs'], 'LUFS')}",
            f"momentary at most {text(result['momentary_max_lufs'], 'LUFS')}",
            f"short-term at most {text(result['short_term_max_lufs'], 'LUFS')}",
            f"range {text(result['range_lu'], 'LU')}",
            f"true peak {text(result['true_peak_dbtp'], 'dBTP')}",
        ]

    emit(args, result, lines)
    return 0


def _profile(args: argparse.Namespace, sound: F32, rate: int) -> NoiseProfile:
    """From the beginning of the sound itself, from another sound, or from a kept profile."""
    given = str(args.profile)
    try:
        seconds: float | None = float(given)
    except ValueError:
        seconds = None
    if seconds is not None:
        if not 0 < seconds <= sound.shape[1] / rate:
            raise CannotDo(f"--profile {given}: {args.file.name} has {sound.shape[1] / rate:.1f} s")
        found = learn(args.file.stem, sound[:, : round(seconds * rate)], rate)
        where = f"the first {seconds:g} s of {args.file.name}"
    elif given.endswith(".json"):
        return load_profile(Path(given))
    else:
        silence, other = read_sound(Path(given), rate)
        found = learn(Path(given).stem, silence, other)
        where = Path(given).name
    if isinstance(found, NotSilent):
        raise CannotDo(f"{where}: the profile: {not_silent_text(found.code, found.at_s, found.over_db)}")
    return found


def _floor_db(sound: F32, rate: int) -> float:
    """The level that a tenth of all tenths of a second stay below: what is left when nobody speaks."""
    n = rate // 10
    whole = sound.shape[1] // n
    if not whole:
        return gain_to_db(float(np.sqrt(np.mean(np.square(sound, dtype=np.float64)))))
    power = np.square(sound[:, : whole * n], dtype=np.float64).mean(axis=0).reshape(whole, n).mean(axis=1)
    return gain_to_db(float(np.sqrt(np.percentile(power, 10))))


def denoise(args: argparse.Namespace) -> int:
    """Block by block, as live; the file that is written stands in step with the one that was read."""
    from ..core.sound.denoise import Denoiser

    sound, rate = read_sound(args.file)
    profile = _profile(args, sound, rate)
    if profile.rate_hz != rate:
        raise CannotDo(f"{profile.name}: the profile: learnt at {profile.rate_hz} Hz, {args.file.name} has {rate} Hz")
    denoiser = Denoiser(profile, BLOCK, sound.shape[0], args.window, args.strength, args.floor_db)
    wait = denoiser.latency_frames
    blocks = math.ceil((sound.shape[1] + wait) / BLOCK)
    padded = np.zeros((sound.shape[0], blocks * BLOCK), np.float32)
    padded[:, : sound.shape[1]] = sound
    pieces = [denoiser.process(padded[:, i * BLOCK : (i + 1) * BLOCK]) for i in range(blocks)]
    clean = np.ascontiguousarray(np.concatenate(pieces, axis=1)[:, wait : wait + sound.shape[1]])
    write_sound(args.out, clean, rate)
    if args.keep_profile is not None:
        save_profile(args.keep_profile, profile)
    result: dict[str, Any] = {
        "file": str(args.out), "latency_frames": wait, "latency_ms": wait / rate * 1e3, "window": args.window,
        "profile_level_db": profile.level_db, "profile_seconds": profile.seconds,
        "floor_before_db": _floor_db(sound, rate), "floor_after_db": _floor_db(clean, rate),
        "mismatch_db": denoiser.mismatch_db,
    }  # fmt: skip

    def lines() -> list[str]:
        before, after = timing.db_text(result["floor_before_db"]), timing.db_text(result["floor_after_db"])
        return [
            f"{args.out}: noise floor {before}, now {after}; live it costs {timing.ms_text(wait / rate, 1)}",
        ]

    emit(args, result, lines)
    return 0


def add_commands(to: CommandLine) -> None:
    p = to.add("loudness", loudness, "how loud a sound is, and its true peak")
    p.add_argument("file", type=Path)
    p = to.add("denoise", denoise, "take learned noise out of a sound, block by block as live")
    p.add_argument("file", type=Path)
    p.add_argument("--profile", required=True, metavar="FILE_OR_SECONDS", help="a profile, a sound, or seconds of FILE")
    p.add_argument("--out", type=Path, required=True)
    p.add_argument("--window", choices=("long", "middle", "short"), default="long", help="longer is cleaner and later")
    p.add_argument("--strength", type=share, default=1.0)
    p.add_argument("--floor-db", type=least_gain, default=-50.0)
    p.add_argument("--keep-profile", type=Path, metavar="FILE", help="write the profile for another time")
