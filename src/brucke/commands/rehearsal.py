"""The main job on the stand-ins, and the proof of a take."""

import argparse
import math
import sys

from ..core.document.setup import Setup
from ..core.document.setup_file import load
from ..core.knowledge.evidence import Knowledge
from ..words import timing as words
from .output import CannotDo, emit


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
    from ..core.document.setup_file import save
    from ..engine.step.plan import PlanError
    from ..rehearse.rehearsal import RehearsalError, rehearse
    from ..rehearse.report import needs_attention, report, report_lines

    setup, knowledge = load(args.setup)
    from ..ports.sounds.beat_sounds import beat_sounds

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
    from ..ports.sounds.beat_sounds import beat_sounds
    from ..ports.sounds.files import mono
    from ..takes.judging import judge
    from ..takes.proof import prove_take
    from ..takes.take import load_take
    from ..words.review import needs_you, take_text

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
