"""What can be measured between two recordings: drift, voice against music, what a path does to sound."""

import argparse
from pathlib import Path
from typing import Any

import numpy as np

from ..ports.sounds.files import F32, mono, read_sound, write_sound
from ..words import measured as words
from .output import CannotDo, emit

LEAST = {"too_short", "silent"}


def _two(first: Path, second: Path) -> tuple[F32, F32, int]:
    """Both with all their channels, at the rate of the first."""
    a, rate = read_sound(first)
    b, other = read_sound(second)
    if other != rate:
        b = _at_rate(b, other, rate)
    return a, b, rate


def _at_rate(sound: F32, rate: int, wanted: int) -> F32:
    import samplerate

    return np.ascontiguousarray(
        samplerate.resample(np.ascontiguousarray(sound.T), wanted / rate, "sinc_medium").T, np.float32
    )


def _refuse(reason: str, *files: Path) -> None:
    if reason in LEAST:
        raise CannotDo(f"{' or '.join(f.name for f in files)}: the sound: {words.NOT_FOUND[reason]}")


def drift(args: argparse.Namespace) -> int:
    from ..core.measure.drift import find_drift

    reference, recording, rate = _two(args.reference, args.recording)
    found = find_drift(mono(reference), mono(recording), rate)
    _refuse(found.reason, args.recording, args.reference)
    result: dict[str, Any] = {
        "match": found.match, "drift_ppm": found.ppm if found.match else None, "drift_ppm_error": found.ppm_error if found.match else None,
        "offset_ms_at_start": found.start_s * 1e3 if found.match else None, "after_an_hour_ms": found.after_s(3600) * 1e3 if found.match else None,
        "steps": [
            {"at_s": s.at_s, "ms": s.seconds * 1e3, "after_s": s.after_s, "before_s": s.before_s} for s in found.steps
        ],
        "hunts": found.hunts, "scatter_ms": found.scatter_s * 1e3, "windows": len(found.times_s), "reason": found.reason,
        "says": words.drift_lines(args.recording.name, args.reference.name, found),
    }  # fmt: skip
    emit(args, result, lambda: result["says"])
    return 0 if found.match else 1


def take_offset(args: argparse.Namespace) -> int:
    from ..core.measure.phrases import phrase_offsets, phrases_of

    if args.music is None:
        both, rate = read_sound(args.voice)
        if both.shape[0] != 2:
            raise CannotDo(
                f"{args.voice.name}: the sound: one file alone has the voice left and the music right; this one has {both.shape[0]} channels"
            )
        voice, music, names = both[0], both[1], ("the voice", "the music")
    else:
        one, other, rate = _two(args.voice, args.music)
        voice, music, names = mono(one), mono(other), (args.voice.name, args.music.name)
    found = phrase_offsets(np.ascontiguousarray(voice), np.ascontiguousarray(music), rate)
    if args.keep is not None:
        from ..takes.two_sounds import keep_two

        keep_two(voice, music, rate, phrases_of(voice, rate), args.keep)
    _refuse(found.reason, *([args.voice] if args.music is None else [args.voice, args.music]))

    def ms(value: float) -> float | None:
        return value * 1e3 if found.match else None

    result: dict[str, Any] = {
        "match": found.match, "offset_ms": ms(found.seconds), "plus_minus_ms": ms(found.plus_minus_s), "scatter_ms": ms(found.scatter_s),
        "trend_ms_per_min": ms(found.trend * 60), "trend_ms_per_min_error": ms(found.trend_plus_minus * 60), "phrases": found.phrases,
        "phrases_looked_at": found.of, "phrase_offsets_ms": (found.offsets_s * 1e3).tolist(), "phrase_at_s": found.times_s.tolist(),
        "reason": found.reason, "says": words.offset_lines(*names, found),
    }  # fmt: skip
    emit(args, result, lambda: result["says"])
    return 0 if found.match else 1


def clean(args: argparse.Namespace) -> int:
    from ..core.measure.clean_path import look_at_path

    sent, returned, rate = _two(args.sent, args.returned)
    report = look_at_path(sent, returned, rate, args.two_sides)
    result: dict[str, Any] = {
        "verdict": report.verdict,
        "found": [
            {"what": f.what, "how_much": f.how_much, "certain": f.certain, "says": words.found_text(f)} for f in report.found
        ],
        "not_judged": list(report.not_judged), "reason": report.reason,
        "delay_ms": None if report.reason else report.delay_s * 1e3, "gain_db": None if report.reason else report.gain_db,
        "says": words.clean_lines(args.returned.name, report),
    }  # fmt: skip
    emit(args, result, lambda: result["says"])
    return 0 if report.verdict == "clean" else 1


def write_passage(args: argparse.Namespace) -> int:
    from ..core.measure.passage import passage

    sound = passage(args.rate)
    write_sound(args.out, sound, args.rate)
    result = {"file": str(args.out), "seconds": sound.shape[1] / args.rate, "rate_hz": args.rate}
    emit(
        args,
        result,
        lambda: [
            f"{args.out}: {result['seconds']:.0f} s; send it through the path and record what returns, then: brucke clean {args.out} RETURNED"
        ],
    )
    return 0
