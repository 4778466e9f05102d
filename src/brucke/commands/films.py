"""Sound against picture in a recording, and the film to record."""

import argparse
from pathlib import Path
from typing import Any

from ..words import films as words
from .command_line import CommandLine, duration, sample_rate
from .output import CannotDo, emit, rivals_ms


def picture(args: argparse.Namespace) -> int:
    from ..core.measure.sound_and_picture import SEARCH_S
    from ..core.timing.verdicts import picture_standing
    from ..takes.film import judge_film
    from ..takes.shots import keep_shots

    judged = judge_film(args.file)
    if args.keep is not None:
        keep_shots(judged, args.keep)
    found, seen = judged.found, judged.seen
    offset = found.offset
    code = picture_standing(offset.seconds) if offset is not None else None
    result: dict[str, Any] = {
        "match": offset is not None, "sound_early_ms": None if offset is None else offset.seconds * 1e3,
        "spread_ms": None if offset is None else offset.plus_minus_s * 1e3,
        "events": 0 if offset is None else offset.events,
        "frame_ms": seen.period_s * 1e3, "seen": found.seen, "sharp_sounds": len(judged.sharp_s),
        "pictures": len(seen.times_s),
        "rivals": [] if offset is None else rivals_ms(offset.rivals), "at_edge": found.reason == "edge",
        "range_ms": [-SEARCH_S[found.seen or "flashes"] * 1e3, SEARCH_S[found.seen or "flashes"] * 1e3],
        "matched": 0 if offset is None else offset.events,
        "matched_of": len(judged.sharp_s) if offset is None else offset.of, "looked_at_s": judged.only_s or None,
        "drift_ppm": None if found.drift is None else found.drift.ppm,
        "drift_ppm_error": None if found.drift is None else found.drift.plus_minus_ppm, "reason": found.reason,
        "judged_as": code,
        "says": words.picture_lines(args.file.name, found, seen.period_s, judged.only_s),
    }  # fmt: skip
    emit(args, result, lambda: result["says"])
    return 0 if offset is not None else 1


def slate(args: argparse.Namespace) -> int:
    from ..takes.slate import picture_rate, write_slate

    try:
        fps = picture_rate(args.fps)
    except ValueError as e:
        raise CannotDo(f"--fps {e}") from None
    events = write_slate(args.out, fps, args.rate)
    result = {
        "file": str(args.out),
        "fps": float(fps),
        "rate_hz": args.rate,
        "events": len(events),
        "events_ms": [t * 1e3 for t in events],
    }
    emit(args, result, lambda: [f"{args.out}: {len(events)} flashes, each with a beep at the same moment"])
    return 0


def watch_camera(args: argparse.Namespace) -> int:
    """What a camera sees, in blocks, with the monotonic time when each picture came."""
    import sys

    import numpy as np

    from ..core.measure.video_features import blocks_of
    from ..ports.devices.cameras import looked

    times: list[float] = []
    light = []
    for at, picture in looked(args.camera, args.seconds):
        times.append(at)
        light.append(blocks_of(picture[None])[0])
        print(f"progress {min(1.0, (at - times[0]) / args.seconds):.3f} seen", file=sys.stderr, flush=True)
    if len(times) < 5:
        raise CannotDo(f"{args.camera.name}: the camera: it gave no pictures")
    result = {"times_s": times, "light": [np.round(x, 1).tolist() for x in light], "columns": 16}
    rate = (len(times) - 1) / (times[-1] - times[0])
    emit(args, result, lambda: [f"{args.camera.name}: {len(times)} pictures, {rate:.1f} a second"])
    return 0


def add_commands(to: CommandLine) -> None:
    p = to.add("picture", picture, "sound against picture in any recording with claps, or flashes and beeps")
    p.add_argument("file", type=Path)
    p.add_argument(
        "--keep", type=Path, metavar="FILE", help="write pictures and sound around what was found, for showing"
    )
    p = to.add("slate", slate, "a test film with flashes and beeps exactly together")
    p.add_argument("out", type=Path)
    p.add_argument("--fps", default="25", metavar="N", help="pictures a second: 25, 29.97, 30000/1001")
    p.add_argument("--rate", type=sample_rate, default=48000, metavar="HZ", help="of its sound")
    p = to.add("watch-camera", watch_camera, "what a camera of this computer sees, in blocks, and when")
    p.add_argument("camera", type=Path)
    p.add_argument("--seconds", type=duration, default=10.0, metavar="S")
