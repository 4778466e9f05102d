"""Stages, arrivals, the delays that would align; and separate stages from measured ways."""

import argparse
from pathlib import Path
from typing import Annotated, Any

import msgspec

from ..core.aligning.align import align, timing
from ..core.document.setup import Setup
from ..core.knowledge.evidence import Facts
from ..core.storage.setup_file import load
from ..core.timing.arrivals import ListenerTiming, RouteTiming, Unjudged
from ..core.timing.paths import Situation
from ..words import explanations
from ..words import timing as words
from .command_line import CommandLine
from .output import CannotDo, emit


def _facts(setup: Setup) -> Facts:
    from ..standins.truth import invent, reports

    return Facts(reported_s=reports(setup, invent(setup, 1, True)))


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
            "arrival_ms": None if r.unknown else r.arrival.value * 1e3,
            "plus_minus_ms": None if r.unknown else r.arrival.plus_minus * 1e3,
            "off_ms": None if r.off is None else r.off.value * 1e3,
            "off_plus_minus_ms": None if r.off is None else r.off.plus_minus * 1e3,
            "delay_ms": r.delay_frames / rate * 1e3,
            "align_delay_ms": frames / rate * 1e3,
            "stages": [
                {
                    "name": words.stage_text(setup, s),
                    "latency_ms": None if s.evidence == "unknown" else s.latency.value * 1e3,
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
        "at_limit": t.verdict.at_limit,
        "hand_off_ms": None if t.picture_unknown else t.hand_off_s * 1e3,
        "findings": [words.finding_text(setup, f) for f in t.findings],
        "routes": [*map(route, t.routes), *map(unjudged, t.unjudged)],
    }


def _arrival_lines(setup: Setup, t: ListenerTiming) -> list[str]:
    lines = [f"{words.listener_name(setup, t.listener)}: {words.verdict_text(setup, t.verdict)}"]
    for r in t.routes:
        steps = " + ".join(f"{words.stage_text(setup, s)} {s.latency.value * 1e3:.2f}" for s in r.stages)
        delay = r.delay_frames / setup.rate_hz
        lines.append(
            f"  {words.part_name(setup, r.part):10} arrives "
            f"{'?' if r.unknown else words.ms_text(r.arrival.value, 2):>10}  "
            f"delay {words.ms_text(delay, 2):>9}  ({steps})  {explanations.route_text(setup, r)}"
        )
    lines += [f"  {words.part_name(setup, u.part):10} {explanations.route_text(setup, u)}" for u in t.unjudged]
    lines += [f"  {words.finding_text(setup, f)}" for f in t.findings]
    return lines


class _Path(msgspec.Struct, forbid_unknown_fields=True):
    """One measured way of the file."""

    name: Annotated[str, msgspec.Meta(max_length=200)]
    stages: Annotated[list[Annotated[str, msgspec.Meta(max_length=200)]], msgspec.Meta(min_length=1, max_length=50)]
    ms: Annotated[float, msgspec.Meta(ge=-10_000, le=10_000)]
    plus_minus_ms: Annotated[float, msgspec.Meta(ge=0, le=10_000)] = 0.1


class _Paths(msgspec.Struct, forbid_unknown_fields=True):
    measured: Annotated[list[_Path], msgspec.Meta(min_length=1, max_length=200)]
    possible: Annotated[list[list[str]], msgspec.Meta(max_length=200)] = []


def stages(args: argparse.Namespace) -> int:
    """What each stage takes, from measured ways that share them."""
    from ..core.files.safe_read import ReadProblem, decode_json, read_bytes
    from ..core.measure.stages import MeasuredPath, find_stages, worth_measuring

    try:
        given = msgspec.convert(decode_json(read_bytes(args.paths, 1_000_000, "a list of ways")), _Paths)
    except (ReadProblem, msgspec.ValidationError) as e:
        raise CannotDo(f"{args.paths.name}: {e}") from None
    paths = [MeasuredPath(p.name, tuple(p.stages), p.ms / 1e3, p.plus_minus_ms / 1e3) for p in given.measured]
    found = find_stages(paths)
    worth = worth_measuring(paths, [tuple(p) for p in given.possible])
    result: dict[str, Any] = {
        "stages": [
            {"stage": s, "ms": f.seconds * 1e3, "plus_minus_ms": f.plus_minus_s * 1e3,
            "only_together_with": list(f.tied)}
            for s, f in found.of.items()
        ],
        "contradicts": list(found.contradicts), "worth_measuring": [list(p) for p in worth],
    }  # fmt: skip
    lines = [
        f"{s:24} {words.ms_text(f.seconds, 2):>10} "
        f"{words.plus_minus_text(f.plus_minus_s)}{'  only together with ' + ', '.join(f.tied) if f.tied else ''}"
        for s, f in found.of.items()
    ]
    lines += [f"they contradict one another: {', '.join(found.contradicts)}"] if found.contradicts else []
    lines += [f"worth measuring: {' + '.join(p)}" for p in worth]
    emit(args, result, lambda: lines)
    return 1 if found.contradicts else 0


def add_commands(to: CommandLine) -> None:
    p = to.add("arrivals", arrivals, "stages, arrivals, and the delays that would align")
    p.add_argument("setup", type=Path)
    p.add_argument("--listener", metavar="ID")
    p = to.add("stages", stages, "what each stage takes, from measured ways that share them")
    p.add_argument("paths", type=Path)
