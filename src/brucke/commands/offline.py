"""The engine offline, and how much later one recording is than another."""

import argparse
from pathlib import Path

from ..core.document.setup_file import load
from ..words import timing as words
from .output import CannotDo, emit


def render(args: argparse.Namespace) -> int:
    from ..core.edits.chain_edits import plug_ins
    from ..engine.step.plan import PlanError
    from ..ports.sounds.beat_sounds import read_beat
    from ..ports.sounds.files import MAX_SECONDS, read_sound
    from ..rehearse.render import render_setup

    setup, _ = load(args.setup)
    inputs = {}
    for item in args.input:
        part, sep, file = item.partition("=")
        if not sep or all(p.id != part for p in setup.parts):
            raise CannotDo(f"--input {item}: expected PART=FILE with a part of {args.setup.name}")
        inputs[part] = read_sound(Path(file), setup.rate_hz)[0]
    for part in setup.parts:
        path = args.setup.parent / part.beat_source
        if part.beat_source and part.id not in inputs and path.exists():
            inputs[part.id] = read_beat(path, setup.rate_hz, MAX_SECONDS)
    if not inputs:
        raise CannotDo(f"{args.setup.name}: parts: none has a sound to render; give one with --input PART=FILE")
    try:
        written = render_setup(setup, inputs, args.out, args.seconds)
    except PlanError as e:
        raise CannotDo(f"{args.setup.name}: devices: {e}") from None
    dry = [p.name for _owner, p in plug_ins(setup).values() if p.on]
    result = {"files": [str(p) for p in written], "left_dry": dry}
    note = [f"without the plug-ins {', '.join(dry)}: they run only live"] if dry else []
    emit(args, result, lambda: [*result["files"], *note])
    return 1 if dry else 0


def offset(args: argparse.Namespace) -> int:
    from ..core.measure.offset import natural_offset
    from ..ports.sounds.files import mono, read_sound

    reference, rate = read_sound(args.reference)
    recording, other = read_sound(args.recording)
    if rate != other:
        raise CannotDo(
            f"{args.recording.name}: the sample rate: {other} Hz, but {args.reference.name} has {rate} Hz; convert one"
        )
    found = natural_offset(mono(reference), mono(recording), rate)
    if found.reason in ("silent", "too_short"):
        why = "silent, nothing to compare" if found.reason == "silent" else "shorter than 4 s, too little to be sure"
        both = f"{args.reference.name} or {args.recording.name}"
        raise CannotDo(f"{both}: the sound: {why}")
    result = {
        "match": found.match,
        "offset_ms": found.seconds * 1e3 if found.match else None,
        "offset_frames": found.frames if found.match else None,
        "confidence": found.confidence,
        "polarity": found.polarity if found.match else None,
        "search_ms": [s * 1e3 for s in found.search_s],
        "reason": found.reason,
        "repeats_ms": found.repeats_s * 1e3,
        "rate_hz": rate,
    }

    def lines() -> list[str]:
        if found.match:
            word = "later" if found.frames >= 0 else "earlier"
            side = "" if found.polarity > 0 else ", polarity reversed"
            amount = words.ms_text(abs(found.seconds), 3)
            return [
                f"{args.recording.name} is {amount} {word} than {args.reference.name} ({found.confidence:.0%} sure{side})"
            ]
        if found.reason == "repeats":
            return [f"no match: it repeats every {words.ms_text(found.repeats_s, 0)}; play something longer"]
        return [f"no match within ± {found.search_s[1]:g} s"]

    emit(args, result, lines)
    return 0 if found.match else 1
