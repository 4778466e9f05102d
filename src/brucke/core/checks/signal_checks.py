"""Whether what comes in is sound as it should be. What was not listened to long enough is not yet good."""

from collections.abc import Iterator
from itertools import pairwise

from ..document.setup import Part, Setup
from ..edits.part_edits import change_part, set_mode, set_trim
from ..findings import Finding
from ..timing.paths import Situation
from .check import Check, Known, listened, sounds

# Common practice, no source, for all of these.
SILENT_DB = -70.0
CLIPPED_DB = -0.1
ONE_SIDED_DB = 30.0
CANCELS_DB = 10.0
SAME_BLEED_MS = 0.2
SPARE_DB = 1.0


def sounds_by_itself(part: Part) -> bool:
    """Whether silence of a part is worth a word. People at a far end listen, most of the time."""
    return part.kind != "picture" and not part.quiet and part.source not in ("count_in", "far_end")


def _all_heard(known: Known) -> bool:
    """Whether it was listened to long enough, and to every sound there is."""
    return listened(known) and all(p.id in known.facts.heard for p in sounds(known.setup))


def _signal(known: Known) -> Iterator[Finding]:
    for p in sounds(known.setup):
        heard = known.facts.heard.get(p.id)
        expected = sounds_by_itself(p) and p.device not in known.facts.missing
        if p.id in known.facts.quiet and expected:
            yield Finding(code="plays_nothing", part=p.id, device=p.device, needs="look")
        elif listened(known) and heard is not None and expected and heard.peak_db < SILENT_DB:
            yield Finding(code="no_signal", part=p.id, device=p.device)


def _clipping(known: Known) -> Iterator[Finding]:
    for p in sounds(known.setup):
        heard = known.facts.heard.get(p.id)
        if heard is None:
            continue
        # What a file or a program sends at full scale is as it was made; only an input can be driven too far.
        if heard.input_peak_db > CLIPPED_DB and known.setup.device(p.device).kind == "interface":
            yield Finding(code="input_clips", part=p.id, device=p.device)
        elif heard.peak_db > 0.0:
            yield Finding(code="trim_clips", part=p.id, values={"over_db": heard.peak_db})


def _sides(known: Known) -> Iterator[Finding]:
    for p in sounds(known.setup):
        heard = known.facts.heard.get(p.id)
        if heard is None or len(p.channels) != 2 or heard.peak_db < SILENT_DB:
            continue
        louder, softer = max(heard.left_db, heard.right_db), min(heard.left_db, heard.right_db)
        if louder - softer > ONE_SIDED_DB:
            yield Finding(
                code="one_sided", part=p.id, values={"side": "left" if heard.left_db > heard.right_db else "right"}
            )
        elif heard.mono_db < softer - CANCELS_DB:
            yield Finding(code="cancels_in_mono", part=p.id, values={"loses_db": louder - heard.mono_db})


def _bleed(known: Known) -> Iterator[Finding]:
    for p in sounds(known.setup):
        heard = known.facts.heard.get(p.id)
        # The way from headphone to microphone is always equally long; a tune that two play together is not.
        lags = sorted(heard.bleeds_ms) if heard is not None else []
        same = next((a for a, b in pairwise(lags) if b - a < SAME_BLEED_MS), None)
        if same is not None:
            yield Finding(code="bleed", part=p.id, values={"lead": p.follows, "ms": same})


def _softer(known: Situation, f: Finding) -> Setup:
    over = float(f.values["over_db"]) + SPARE_DB
    return set_trim(known.setup, f.part, known.setup.part(f.part).trim_db - over)


def _both_sides(known: Situation, f: Finding) -> Setup:
    return set_mode(known.setup, f.part, f"{f.values.get('side', 'left')} to both")


SIGNAL = (
    Check("signal", _signal, _all_heard, {"plays_nothing": "gather", "no_signal": lambda known,
    f: change_part(known.setup, f.part, quiet=True)}),
    Check("clipping", _clipping, _all_heard, {"input_clips": "gather", "trim_clips": _softer}),
    Check("sides", _sides, _all_heard, {"one_sided": _both_sides, "cancels_in_mono": _both_sides}),
    Check("bleed", _bleed, _all_heard, {"bleed": "gather"}),
)  # fmt: skip
