"""The main job on the stand-ins, and the proof of a take."""

import argparse
import math
import sys
from pathlib import Path

from ..core.document.setup import Setup
from ..core.knowledge.evidence import Knowledge
from ..core.storage.setup_file import load
from ..words import timing as words
from ..words.refusals import refusal_text
from .command_line import CommandLine, duration
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
    from ..core.storage.setup_file import save
    from ..engine.step.plan import PlanError
    from ..rehearse.rehearsal import People, RehearsalError, rehearse
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
            setup, Knowledge(spoils=knowledge.spoils), sounds, args.out, args.seconds,
            People(args.seed, args.exact, planted(setup, args.plant)), progress,
        )  # fmt: skip
    except PlanError as e:
        raise CannotDo(f"{args.setup.name}: devices: {e}") from None
    except RehearsalError as e:
        why = refusal_text(e.refusal.code, e.refusal.values) if e.refusal else str(e)
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
    emit(args, result, lambda: [f"{words.listener_name(take.setup, str(x['id']))}: {x['verdict']}" for x in result[
        "listeners"]])  # fmt: skip
    return 1 if any(needs_you(v) for v in verdicts.values()) else 0


def add_commands(to: CommandLine) -> None:
    p = to.add("rehearse", rehearsal, "measure, align, record and prove on the stand-ins")
    p.add_argument("setup", type=Path)
    p.add_argument("--out", type=Path, required=True)
    p.add_argument("--seconds", type=duration, default=30.0)
    p.add_argument("--exact", action="store_true", help="performers without human scatter")
    p.add_argument(
        "--plant",
        action="append",
        default=[],
        metavar="PART=MS",
        help="a fault to be found: a stand-in box that delays a part and says nothing",
    )
    p.add_argument("--seed", type=int, default=1)
    p = to.add("prove", prove, "measure what is left between the parts of a take")
    p.add_argument("take", type=Path)
    p.add_argument(
        "--sounds", type=Path, required=True, action="append", help="folder of the on-the-beat sounds; may be repeated"
    )
