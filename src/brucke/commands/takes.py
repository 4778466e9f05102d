"""What was recorded: the takes of a folder, and a film that finds its place in one."""

import argparse
import sys
from pathlib import Path
from typing import TYPE_CHECKING, Any

from ..words import placing as words
from ..words.handing_on import USES, handed_lines
from .command_line import CommandLine, loudness
from .output import CannotDo, emit

if TYPE_CHECKING:
    from ..takes.take import Take


def takes(args: argparse.Namespace) -> int:
    """Every take in the folders below one; what cannot be read is said, and the others are listed."""
    from ..core.document.ranges import printable
    from ..takes.take import TakeError, load_take

    if not args.folder.is_dir():
        raise CannotDo(f"{args.folder}: no such folder")
    found, left_out = [], []
    for file in sorted(args.folder.glob("*/take.json")):
        try:
            found.append(_about(file.parent, load_take(file.parent)))
        except TakeError as e:
            left_out.append(str(e))
    found.sort(key=lambda t: str(t["date"]))
    result: dict[str, Any] = {"takes": found, "left_out": left_out}
    lines = [f"{printable(str(t['name']))}: {t['date']}, {t['seconds']:.0f} s, {t['says']}" for t in found]
    emit(args, result, lambda: [*lines, *(f"left out: {why}" for why in left_out)] or ["no takes there"])
    return 1 if left_out else 0


def _about(folder: Path, take: "Take") -> dict[str, Any]:
    from ..takes.judging import judge
    from ..takes.summary import summary
    from ..words.review import take_text

    about = summary(folder, take)
    said = {x: take_text(take.setup, v) for x, v in judge(take).items()}
    return {
        "name": about.name, "date": about.date, "seconds": about.seconds, "bytes": about.size,
        "favourite": take.favourite, "notes": take.notes,
        "parts": list(take.parts), "listeners": list(take.listeners), "verdicts": said,
        "says": "; ".join(dict.fromkeys(said.values())) or "not measured",
    }  # fmt: skip


def place(args: argparse.Namespace) -> int:
    from ..takes.placing import bring_film, place_film
    from ..takes.take import load_take

    take = load_take(args.take)
    found = place_film(args.take, take, args.film)
    if found.match and args.keep:
        bring_film(args.take, args.film, found)
    first = found.pieces[0] if found.match else None
    result = {
        "match": found.match,
        "start_ms": found.start_s * 1e3 if found.match else None,
        "plus_minus_ms": first.plus_minus_s * 1e3 if first else None,
        "drift_ppm": first.drift_ppm if first else None,
        "drift_ppm_error": first.drift_ppm_error if first else None,
        "cuts": [{"at_s": at, "left_out_ms": s * 1e3} for at, s in words.cuts(found)],
        "pieces": [
            {
                "begin_s": p.begin_s, "end_s": p.end_s, "in_take_s": p.at_s, "plus_minus_ms": p.plus_minus_s * 1e3,
                "drift_ppm": p.drift_ppm, "live_share": p.live_share if p.live_share >= 0 else None,
            }
            for p in found.pieces
        ],
        "matched": found.matched, "looked": found.looked, "reason": found.reason,
        "rivals": [{"ms": r * 1e3} for r in found.rivals],
        "says": words.placed_lines(args.film.name, args.take.name, found),
    }  # fmt: skip
    emit(args, result, lambda: words.placed_lines(args.film.name, args.take.name, found))
    return 0 if found.match else 1


def hand_on(args: argparse.Namespace) -> int:
    import signal

    from ..rehearse.remix import remix
    from ..takes.contents import Asked
    from ..takes.handed import Stopped
    from ..takes.handing_on import hand_on as write
    from ..takes.take import load_take

    args.out.mkdir(parents=True, exist_ok=True)
    asked = Asked(args.use, not args.without_far_ends, args.loudness, args.mix)
    ended: list[int] = []
    signal.signal(signal.SIGTERM, lambda number, _frame: ended.append(number))
    told = [0.0]

    def progress(share: float) -> bool:
        if share > told[0] + 0.02 or share < told[0]:
            told[0] = share
            print(f"progress {share:.3f}", file=sys.stderr, flush=True)
        return not ended

    try:
        made = write(args.take, load_take(args.take), args.out, asked, progress, remix)
    except Stopped:
        raise CannotDo(f"{args.take.name}: stopped, nothing was written") from None
    lines = handed_lines(made)
    result = {
        "files": [
            {"path": str(f.path), "seconds": f.seconds, "channels": f.channels, "start_frames": f.start_frames}
            for f in made.files
        ],
        "loudness_lufs": made.reached_lufs, "true_peak_dbtp": made.peak_db, "notes": made.says, "says": lines,
    }  # fmt: skip
    emit(args, result, lambda: lines)
    return 1 if made.says else 0


def bleed(args: argparse.Namespace) -> int:
    """Offered, or muted where that is asked for; never unasked."""
    from msgspec.structs import replace

    from ..takes.bleed import find_bleed, may_pick_up
    from ..takes.edits import mute
    from ..takes.take import load_take, save_take

    take = load_take(args.take)
    parts = [p.id for p in may_pick_up(take)]
    if args.part and args.part not in parts:
        raise CannotDo(f"--part {args.part}: no microphone of this take; there are {', '.join(parts) or 'none'}")
    told = [0.0]

    def progress(share: float) -> bool:
        print(f"progress {share:.3f}", file=sys.stderr, flush=True)
        told[0] = share
        return True

    found = {part: find_bleed(args.take, take, part, progress) for part in ([args.part] if args.part else parts)}
    if args.cut:
        edits = load_take(args.take).edits
        for part, stretches in found.items():
            edits = mute(edits, part, stretches)
        save_take(args.take, replace(load_take(args.take), edits=edits))
    result = {
        "cut": args.cut,
        "parts": {
            part: [{"begin_s": s.begin_s, "end_s": s.end_s} for s in stretches] for part, stretches in found.items()
        },
    }
    lines = [
        f"{take.setup.part(part).name}: {len(stretches)} stretches, "
        f"{sum(s.end_s - s.begin_s for s in stretches):.1f} s, hold only what it picks up of others"
        for part, stretches in found.items()
    ]
    emit(args, result, lambda: lines)
    return 0


def in_step(args: argparse.Namespace) -> int:
    from msgspec.structs import replace

    from ..ports.sounds.beat_sounds import beat_sounds
    from ..ports.sounds.files import SoundFileError, mono
    from ..takes.edits import move_to
    from ..takes.in_step import far_ends
    from ..takes.in_step import in_step as look
    from ..takes.take import load_take, save_take
    from ..words.in_step import in_step_text

    take = load_take(args.take)
    wanted = [p for p in far_ends(take) if args.part in ("", p.id)]
    if not wanted:
        known = ", ".join(p.id for p in far_ends(take)) or "none"
        raise CannotDo(f"{args.take.name}: no far end “{args.part}” was recorded; there are {known}")
    try:
        sources = {id: mono(s) for id, s in beat_sounds(take.setup, args.sounds).items()} if args.sounds else {}
    except (SoundFileError, OSError):
        sources = {}  # nobody knows beforehand what was played: the other ways tell
    found = {p.id: look(args.take, take, p.id, sources) for p in wanted}
    if args.keep:
        edits = load_take(args.take).edits
        for id, x in found.items():
            edits = move_to(edits, id, -x.late_s) if x.by != "nothing" else edits
        save_take(args.take, replace(load_take(args.take), edits=edits))
    lines = [
        in_step_text(take.setup.part(id).name, x.by, x.late_s, x.plus_minus_s, x.wander_s) for id, x in found.items()
    ]
    result = {
        "kept": args.keep,
        "parts": {
            id: {
                "by": x.by, "late_ms": None if x.by == "nothing" else x.late_s * 1e3,
                "plus_minus_ms": None if x.by == "nothing" else x.plus_minus_s * 1e3, "wander_ms": x.wander_s * 1e3,
                "drift_ppm": x.drift_ppm, "matched": x.matched, "matched_of": x.of,
            }
            for id, x in found.items()
        },
        "says": lines,
    }  # fmt: skip
    emit(args, result, lambda: lines)
    return 0 if all(x.by != "nothing" for x in found.values()) else 1


def add_commands(to: CommandLine) -> None:
    p = to.add("takes", takes, "the takes of a folder: when, how long, how they stand")
    p.add_argument("folder", type=Path, nargs="?", default=Path())
    p = to.add("place", place, "where a film from elsewhere belongs in a take, by its sound")
    p.add_argument("take", type=Path, help="the take's folder")
    p.add_argument("film", type=Path)
    p.add_argument("--keep", action="store_true", help="it is the take's picture from then on, and lies in its folder")
    p = to.add("bleed", bleed, "where a microphone's track holds only what it picks up of the others")
    p.add_argument("take", type=Path, help="the take's folder")
    p.add_argument("--part", default="", metavar="ID", help="one microphone; else all of them")
    p.add_argument("--cut", action="store_true", help="those stretches are muted in the take's edits; its files stay")
    p = to.add("in-step", in_step, "far ends that came back late: by how much, and how that is known")
    p.add_argument("take", type=Path, help="the take's folder")
    p.add_argument("--part", default="", metavar="ID", help="one far end; else all of them")
    p.add_argument("--sounds", type=Path, action="append", metavar="DIR", help="where sounds on the beat are")
    p.add_argument("--keep", action="store_true", help="they are moved by it in the take's edits; its files stay")
    p = to.add("hand-on", hand_on, "new files of a take, by what they are for")
    p.add_argument("take", type=Path, help="the take's folder")
    p.add_argument("--out", type=Path, required=True, metavar="DIR")
    p.add_argument("--as", dest="use", choices=[use for use, _text in USES], default="everything")
    p.add_argument(
        "--loudness", type=loudness, metavar="LUFS", help="what is heard together is brought to it, -40 to -5"
    )
    p.add_argument(
        "--mix", default="", metavar="LISTENER", help="whose sound the song is; else a stream, call, recorder"
    )
    p.add_argument("--without-far-ends", action="store_true", help="the sound of far ends stays here")
