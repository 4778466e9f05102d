"""What each command does. Heavy imports are late, so that the window starts without them."""

import argparse
import math
import sys
from pathlib import Path
from typing import Any

from . import words
from .cli import CannotDo, emit
from .core.document.setup import Setup
from .core.document.setup_file import load
from .core.knowledge.evidence import Facts, Knowledge
from .core.timing.align import ListenerTiming, RouteTiming, Unjudged, align, timing
from .core.timing.paths import Situation


def window(args: argparse.Namespace) -> int:
    from .ui.app import run

    return run(args.setup)


def demo(args: argparse.Namespace) -> int:
    from .demo import SETUP
    from .ui.app import run

    return run(SETUP, demo=True, shots=args.shots, device=args.device)


def _facts(setup: Setup) -> Facts:
    from .standins.truth import invent, reports

    return Facts(reported_s=reports(setup, invent(setup, 1, True)))


def devices(args: argparse.Namespace) -> int:
    """Sound cards that can play and record, by the name that --device takes."""
    from .ports.cards import CardError, list_cards

    try:
        cards = list_cards()
    except CardError as e:
        raise CannotDo(str(e)) from None
    result = {
        "devices": [
            {
                "name": c.name, "inputs": c.inputs, "outputs": c.outputs, "rate_hz": c.rate_hz,
                "in_ms": c.in_s * 1e3, "out_ms": c.out_s * 1e3,
            }
            for c in cards
        ]
    }  # fmt: skip
    none = ["no sound card that plays and records"]
    emit(args, result, lambda: [f"{c.name}: {c.inputs} in, {c.outputs} out, {c.rate_hz:.0f} Hz" for c in cards] or none)
    return 0


def arrivals(args: argparse.Namespace) -> int:
    setup, knowledge = load(args.setup)
    if args.listener and all(x.id != args.listener for x in setup.listeners):
        raise CannotDo(f"{args.setup.name}: listeners: no listener “{args.listener}”")
    known = Situation(setup, knowledge, _facts(setup))
    now = timing(known)
    after = timing(Situation(align(known), knowledge, known.facts))
    shown = [t for t in now.listeners if args.listener in (None, t.listener)]
    result = {"listeners": [_arrivals_of(setup, t, after.of(t.listener)) for t in shown]}
    emit(args, result, lambda: [line for t in shown for line in _arrival_lines(setup, t)])
    return 1 if any(words.needs_you(t.verdict) for t in shown) else 0


def _arrivals_of(setup: Setup, t: ListenerTiming, after: ListenerTiming) -> dict[str, Any]:
    rate = setup.rate_hz

    def route(r: RouteTiming) -> dict[str, Any]:
        solved = after.route(r.part)
        frames = solved.delay_frames if solved is not None else r.align_delay_frames
        return {
            "part": r.part,
            "code": r.code,
            "arrival_ms": r.arrival.value * 1e3,
            "plus_minus_ms": r.arrival.plus_minus * 1e3,
            "off_ms": None if r.off is None else r.off.value * 1e3,
            "off_plus_minus_ms": None if r.off is None else r.off.plus_minus * 1e3,
            "delay_ms": r.delay_frames / rate * 1e3,
            "align_delay_ms": frames / rate * 1e3,
            "stages": [
                {
                    "name": words.stage_text(setup, s),
                    "latency_ms": s.latency.value * 1e3,
                    "plus_minus_ms": s.latency.plus_minus * 1e3,
                    "evidence": s.evidence,
                }
                for s in r.stages
            ],
        }

    def unjudged(u: Unjudged) -> dict[str, Any]:
        unknown = ("arrival_ms", "plus_minus_ms", "off_ms", "off_plus_minus_ms", "align_delay_ms")
        why = words.finding_text(setup, u.problem)
        return {"part": u.part, "code": u.code, **dict.fromkeys(unknown), "reason": why, "stages": []}

    listener = setup.listener(t.listener)
    return {
        "id": listener.id,
        "kind": listener.kind,
        "target_ms": None if t.target is None else t.target.value * 1e3,
        "counted_to": "ears" if t.to_ears else "our own output",
        "verdict": words.verdict_text(setup, t.verdict),
        "verdict_code": t.verdict.code,
        "hand_off_ms": t.hand_off_s * 1e3,
        "findings": [words.finding_text(setup, f) for f in t.findings],
        "routes": [*map(route, t.routes), *map(unjudged, t.unjudged)],
    }


def _arrival_lines(setup: Setup, t: ListenerTiming) -> list[str]:
    lines = [f"{words.listener_name(setup, t.listener)}: {words.verdict_text(setup, t.verdict)}"]
    for r in t.routes:
        steps = " + ".join(f"{words.stage_text(setup, s)} {s.latency.value * 1e3:.2f}" for s in r.stages)
        delay = r.delay_frames / setup.rate_hz
        lines.append(
            f"  {words.part_name(setup, r.part):10} arrives {words.ms_text(r.arrival.value, 2):>10}  "
            f"delay {words.ms_text(delay, 2):>9}  ({steps})  {words.route_text(setup, r)}"
        )
    lines += [f"  {words.part_name(setup, u.part):10} {words.route_text(setup, u)}" for u in t.unjudged]
    lines += [f"  {words.finding_text(setup, f)}" for f in t.findings]
    return lines


def render(args: argparse.Namespace) -> int:
    from .core.edits.chain_edits import plug_ins
    from .engine.plan import PlanError
    from .ports.beat_sounds import read_beat
    from .ports.files import MAX_SECONDS, read_sound
    from .rehearse.render import render_setup

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
    from .core.measure.offset import natural_offset
    from .ports.files import mono, read_sound

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


def planted(setup: Setup, faults: list[str]) -> dict[str, float]:
    """PART=MS of the command line: parts that arrive so much later than anything says, in seconds."""
    found = {}
    for item in faults:
        part, sep, amount = item.partition("=")
        try:
            late = float(amount)
        except ValueError:
            late = math.nan
        if not sep or all(p.id != part for p in setup.parts) or not 1 <= late <= 1000:
            raise CannotDo(f"--plant {item}: expected PART=MS with a part of the setup and 1 to 1000 ms")
        found[part] = late / 1e3
    return found


def rehearsal(args: argparse.Namespace) -> int:
    from .core.document.setup_file import save
    from .engine.plan import PlanError
    from .rehearse.rehearsal import RehearsalError, rehearse
    from .rehearse.report import needs_attention, report, report_lines

    setup, knowledge = load(args.setup)
    from .ports.beat_sounds import beat_sounds

    sounds = beat_sounds(setup, [args.setup.parent])
    if not sounds:
        raise CannotDo(f"{args.setup.name}: parts: none names a beat_source, so nothing can be played or measured")

    def progress(share: float, what: str) -> None:
        if what and sys.stderr.isatty():
            print(f"{share:4.0%} {what}", file=sys.stderr)

    try:
        done = rehearse(
            setup, Knowledge(spoils=knowledge.spoils), sounds, args.out, args.seconds, args.exact, args.seed, progress,
            planted(setup, args.plant),
        )  # fmt: skip
    except PlanError as e:
        raise CannotDo(f"{args.setup.name}: devices: {e}") from None
    except RehearsalError as e:
        why = words.refusal_text(e.refusal.code, e.refusal.values) if e.refusal else str(e)
        raise CannotDo(f"{args.setup.name}: {why}") from None
    save(args.out / args.setup.name, done.setup, done.knowledge)
    result = report(done, args.exact, args.seed)
    emit(args, result, lambda: report_lines(done, result, args.exact))
    return 1 if needs_attention(done, args.exact) else 0


def prove(args: argparse.Namespace) -> int:
    from .ports.beat_sounds import beat_sounds
    from .ports.files import mono
    from .takes.judging import judge
    from .takes.proof import prove_take
    from .takes.take import load_take
    from .words_review import needs_you, take_text

    take = load_take(args.take)
    sources = {id: mono(s) for id, s in beat_sounds(take.setup, args.sounds).items()}

    def progress(share: float, what: str) -> None:
        print(f"progress {share:.3f} {what}", file=sys.stderr, flush=True)

    take = prove_take(args.take, take, sources, progress)
    verdicts = judge(take)
    result = {
        "listeners": [
            {
                "id": id, "verdict": take_text(take.setup, verdicts[id]),
                "verdicts": {p.part: p.code for p in verdicts[id].parts},
                "left_ms": {p: x.median_ms for p, x in proof.left.items() if x.windows}, "reason": proof.reason,
            }
            for id, proof in take.proof.items()
        ]
    }  # fmt: skip
    emit(args, result, lambda: [f"{words.listener_name(take.setup, x['id'])}: {x['verdict']}" for x in result["listeners"]])  # fmt: skip
    return 1 if any(needs_you(v) for v in verdicts.values()) else 0
