"""What a rehearsal found, as the command line tells it: by what was measured in the takes, not by the model."""

from typing import Any

from ..core.timing.take_verdict import ListenerProof
from ..core.timing.verdicts import delay_impairment
from ..takes.judging import judge, scatter_ms
from ..words import timing
from ..words.review import needs_you, part_text, take_text
from .rehearsal import Rehearsal


def _left(proof: ListenerProof) -> dict[str, float]:
    return {part: x.median_ms for part, x in proof.left.items() if x.windows}


def report(done: Rehearsal, exact: bool, seed: int) -> dict[str, Any]:
    """The keys of `rehearse --json`. Left: measured in the far-end files of the takes, not from the model."""
    setup, verdicts = done.setup, judge(done.after, exact)
    listeners = []
    for t in done.timing.listeners:
        listener = setup.listener(t.listener)
        row: dict[str, Any] = {"id": listener.id, "kind": listener.kind}
        if listener.kind == "monitor":
            row["verdict"] = timing.verdict_text(setup, t.verdict)
            row["own_sound_ms"] = t.verdict.off_s * 1e3 if t.verdict.code == "own_sound" else None
        else:
            v = verdicts[listener.id]
            before, after = done.before.proof[listener.id], done.after.proof[listener.id]
            row["verdict"] = take_text(setup, v)
            row["verdicts"] = {p.part: p.code for p in v.parts}
            row["left_before_ms"], row["left_after_ms"] = _left(before), _left(after)
            row["error_after_ms"] = {p: x.error_ms for p, x in after.left.items() if x.windows}
            row["hand_off_ms"] = None if t.picture_unknown else t.hand_off_s * 1e3
            for name, proof in (("before", before), ("after", after)):
                if proof.picture:
                    row[f"picture_left_{name}_ms"] = proof.picture.left_ms
                    row["picture_plus_minus_ms"] = proof.picture.plus_minus_ms
                    row["picture_period_ms"] = proof.picture.period_ms
            if after.reason:
                row["reason"] = after.reason
        if listener.kind == "call":
            way = max((r.arrival.value - r.origin.value for r in t.routes if r.kind == "follower"), default=0.0)
            row["one_way_ms"], row["delay_impairment"] = way * 1e3, delay_impairment(way)
        listeners.append(row)
    return {
        "round_trip_ms": done.round_trip.seconds * 1e3,
        "round_trip_plus_minus_ms": done.round_trip.plus_minus_s * 1e3,
        "scatter_ms": scatter_ms(done.after),
        "seed": seed,
        "listeners": listeners,
    }


def needs_attention(done: Rehearsal, exact: bool) -> bool:
    """Whether any listener's take asks for something."""
    return any(needs_you(v) for v in judge(done.after, exact).values())


def report_lines(done: Rehearsal, result: dict[str, Any], exact: bool) -> list[str]:
    verdicts = judge(done.after, exact)
    lines = [f"round trip {result['round_trip_ms']:.3f} ms ± {result['round_trip_plus_minus_ms']:.4f}"]
    if result["scatter_ms"] >= 0.05:
        lines.append(f"the players' own scatter, as measured: {result['scatter_ms']:.1f} ms, seed {result['seed']}")
    for row in result["listeners"]:
        name = timing.listener_name(done.setup, row["id"])
        lines.append(f"{name}: {row['verdict']}")
        for p in verdicts[row["id"]].parts if row["id"] in verdicts else ():
            left, before = row["left_after_ms"].get(p.part), row["left_before_ms"].get(p.part)
            amount = "" if left is None else f"  left {left:+.3f} ms"
            was = "" if before is None else f" (was {before:+.3f})"
            lines.append(f"  {timing.part_name(done.setup, p.part):10} {part_text(p)}{amount}{was}")
        if "picture_left_after_ms" in row:
            lines.append(
                f"  picture    left {row['picture_left_after_ms']:+.1f} ms ± {row['picture_plus_minus_ms']:.1f}"
            )
    return lines
