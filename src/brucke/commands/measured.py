"""What can be measured between two recordings: how much later one is, drift, voice against music, what a path does to
sound."""

import argparse
from collections.abc import Iterator
from contextlib import closing, contextmanager
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np

from ..words import measurements as words
from .command_line import CommandLine, sample_rate, search_range
from .output import CannotDo, emit, rivals_ms

if TYPE_CHECKING:
    from ..ports.sounds.files import F32
    from ..ports.sounds.mono_file import MonoFile

LEAST = {"too_short", "silent"}


@contextmanager
def _opened(reference: Path, recording: Path) -> "Iterator[tuple[MonoFile, MonoFile]]":
    """Both as one channel, at the rate of the first."""
    from ..ports.sounds.mono_file import MonoFile  # FFmpeg's libraries: not before they are needed

    with closing(MonoFile(reference)) as first, closing(MonoFile(recording, first.rate_hz)) as second:
        yield first, second


def _refuse(reason: str, *files: Path) -> None:
    if reason in LEAST:
        raise CannotDo(f"{' or '.join(f.name for f in files)}: the sound: {words.NOT_FOUND[reason]}")


def offset(args: argparse.Namespace) -> int:
    from ..core.measure.offset import NATURAL_MIN_S, natural_offset

    with _opened(args.reference, args.recording) as (reference, recording):
        rate = reference.rate_hz
        found = natural_offset(reference, recording, rate, args.within)
    if found.reason == "too_short":
        raise CannotDo(
            f"{args.reference.name} or {args.recording.name}: the sound: "
            f"{words.SHORTER_THAN.format(s=f'{NATURAL_MIN_S:g}')}"
        )
    _refuse(found.reason, args.reference, args.recording)
    yes = found.match
    result: dict[str, Any] = {
        "match": yes,
        "offset_ms": found.seconds * 1e3 if yes else None,
        "plus_minus_ms": found.plus_minus_s * 1e3 if yes else None,
        "offset_frames": found.frames if yes else None,
        "confidence": found.confidence,
        "polarity": found.polarity if yes else None,
        "inverted": found.polarity < 0 if yes else None,
        "rivals": rivals_ms(found.rivals),
        "at_edge": found.reason == "edge",
        "range_ms": [s * 1e3 for s in found.search_s],
        "search_ms": [s * 1e3 for s in found.search_s],
        "matched": found.votes,
        "matched_of": found.voters,
        "drift_ppm": found.drift_ppm if yes and found.drifts else None,
        "drift_ppm_error": found.drift_ppm_error if yes and found.drifts else None,
        "jumps_at_s": found.jumps_at_s,
        "reason": found.reason,
        "repeats_ms": found.repeats_s * 1e3,
        "rate_hz": rate,
        "says": words.lateness_lines(args.recording.name, args.reference.name, found),
    }
    emit(args, result, lambda: result["says"])
    return 0 if yes else 1


def drift(args: argparse.Namespace) -> int:
    from ..core.measure.drift import START_SEARCH_S, find_drift

    with _opened(args.reference, args.recording) as (reference, recording):
        found = find_drift(reference, recording, reference.rate_hz)
    _refuse(found.reason, args.recording, args.reference)
    result: dict[str, Any] = {
        "match": found.match,
        "drift_ppm": found.ppm if found.match else None,
        "drift_ppm_error": found.ppm_error if found.match else None,
        "offset_ms_at_start": found.start_s * 1e3 if found.match else None,
        "after_an_hour_ms": found.after_s(3600) * 1e3 if found.match else None,
        "steps": [
            {"at_s": s.at_s, "ms": s.seconds * 1e3, "after_s": s.after_s, "before_s": s.before_s} for s in found.steps
        ],
        "hunts": found.hunts,
        "scatter_ms": found.scatter_s * 1e3,
        "windows": found.matched,
        "matched": found.matched,
        "matched_of": found.looked,
        "inverted": found.polarity < 0 if found.match else None,
        "rivals": rivals_ms(found.rivals),
        "at_edge": found.reason == "edge",
        "range_ms": [-START_SEARCH_S * 1e3, START_SEARCH_S * 1e3],
        "repeats_ms": found.period_s * 1e3,
        "reason": found.reason,
        "says": words.drift_lines(args.recording.name, args.reference.name, found),
    }
    emit(args, result, lambda: result["says"])
    return 0 if found.match else 1


def _two(first: Path, second: Path) -> "tuple[F32, F32, int]":
    """Both with all their channels, at the rate of the first."""
    from ..ports.sounds.any_sound import read_any

    a, rate = read_any(first)
    return a, read_any(second, rate)[0], rate


def take_offset(args: argparse.Namespace) -> int:
    from ..core.measure.phrases import SEARCH_S, phrase_offsets, phrases_of
    from ..ports.sounds.any_sound import read_any
    from ..ports.sounds.files import mono

    if args.music is None:
        both, rate = read_any(args.voice)
        if both.shape[0] != 2:
            raise CannotDo(
                f"{args.voice.name}: the sound: one file alone has the voice left and the music right; this one has "
                f"{both.shape[0]} channels"
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
        "match": found.match,
        "offset_ms": ms(found.seconds),
        "plus_minus_ms": ms(found.plus_minus_s),
        "scatter_ms": ms(found.scatter_s),
        "trend_ms_per_min": ms(found.trend * 60),
        "trend_ms_per_min_error": ms(found.trend_plus_minus * 60),
        "phrases": found.phrases,
        "phrases_looked_at": found.of,
        "phrase_offsets_ms": (found.offsets_s * 1e3).tolist(),
        "phrase_at_s": found.times_s.tolist(),
        "matched": found.matched,
        "matched_of": found.phrases or found.of,
        "rivals": rivals_ms(found.rivals),
        "at_edge": found.reason == "edge",
        "range_ms": [-SEARCH_S * 1e3, SEARCH_S * 1e3],
        "reason": found.reason,
        "says": words.offset_lines(*names, found),
    }
    emit(args, result, lambda: result["says"])
    return 0 if found.match else 1


def clean(args: argparse.Namespace) -> int:
    from ..core.measure.clean_path import look_at_path

    sent, returned, rate = _two(args.sent, args.returned)
    report = look_at_path(sent, returned, rate, args.two_sides)
    result: dict[str, Any] = {
        "verdict": report.verdict,
        "found": [
            {"what": f.what, "how_much": f.how_much, "certain": f.certain, "says": words.found_text(f)}
            for f in report.found
        ],
        "not_judged": list(report.not_judged),
        "reason": report.reason,
        "delay_ms": None if report.reason else report.delay_s * 1e3,
        "gain_db": None if report.reason else report.gain_db,
        "says": words.clean_lines(args.returned.name, report),
    }
    emit(args, result, lambda: result["says"])
    return 0 if report.verdict == "clean" else 1


def write_passage(args: argparse.Namespace) -> int:
    from ..core.measure.path_test_signal import passage
    from ..ports.sounds.files import write_sound

    sound = passage(args.rate)
    write_sound(args.out, sound, args.rate)
    result = {"file": str(args.out), "seconds": sound.shape[1] / args.rate, "rate_hz": args.rate}
    emit(
        args,
        result,
        lambda: [
            f"{args.out}: {result['seconds']:.0f} s; send it through the path and record what returns, then: brucke "
            f"clean {args.out} RETURNED"
        ],
    )
    return 0


def add_commands(to: CommandLine) -> None:
    p = to.add("offset", offset, "how much later a recording is than a reference, and what else it may be")
    p.add_argument("reference", type=Path)
    p.add_argument("recording", type=Path)
    p.add_argument(
        "--within",
        type=search_range,
        default=2.0,
        metavar="S",
        help="looked for so far in both directions, 0.1 to 20 s; else 2",
    )
    p = to.add("drift", drift, "how a recording slides against its reference, and where it jumps")
    p.add_argument("reference", type=Path)
    p.add_argument("recording", type=Path)
    p = to.add("take-offset", take_offset, "how much later than the music a voice is, phrase by phrase")
    p.add_argument("voice", type=Path, help="alone: a file with the voice left and the music right")
    p.add_argument("music", type=Path, nargs="?")
    p.add_argument("--keep", type=Path, metavar="FILE", help="write both sounds and their phrases, for showing")
    p = to.add("clean", clean, "what a path does to sound: noise or echo removal, gate, levelling, filter")
    p.add_argument("sent", type=Path)
    p.add_argument("returned", type=Path)
    p.add_argument("--two-sides", action="store_true", help="the coder is known to carry two channels")
    p = to.add("passage", write_passage, "the sound to send through a path for clean; never where a person listens")
    p.add_argument("out", type=Path)
    p.add_argument("--rate", type=sample_rate, default=48000, metavar="HZ")
