"""The one verdict of a take: what was measured to be left between the parts, and what may be said of it.

Review, `prove`, `rehearse` and the deck all ask here. Uncertainty never makes a verdict kinder: a part that
was not found, sounds too little or is too uncertain is said to be so, and its listener is not in step.
"""

import math
from typing import Literal

import msgspec
from msgspec.structs import replace

from ..document.setup import Part, Setup
from .verdicts import IN_STEP_S

# The farther edge of the 95 % interval may lie so far off and is still called in step: common practice, no source.
EDGE_S = 0.008
# Fewer independent windows than this say nothing of a player with human scatter.
ENOUGH_WINDOWS = 4
# Student's t for a 95 % interval by degrees of freedom (table value, from memory); 1.96 beyond.
_T95 = {
    1: 12.706, 2: 4.303, 3: 3.182, 4: 2.776, 5: 2.571, 6: 2.447, 7: 2.365, 8: 2.306, 9: 2.262, 10: 2.228, 12: 2.179,
    15: 2.131, 20: 2.086, 30: 2.042, 60: 2.0,
}  # fmt: skip

PartCode = Literal["in_step", "early", "late", "not_sure", "too_little", "not_found"]


class PartLeft(msgspec.Struct, frozen=True, kw_only=True):
    """What was measured to be left of one part against the lead, in one listener's file. `error_ms` is the standard
    error of the median over `windows`, of which `phrases` (0 in older takes) tell for themselves, `looked` in how many
    it should have sounded. `reason` is “disagree” where the windows contradict each other, “no_source” where nothing is
    known of how it sounds on the beat. `inverted`: it came upside down. `dry`: it was looked for as it came in, so what
    is left rests on the round trip."""

    median_ms: float = 0.0
    error_ms: float = 0.0
    scatter_ms: float = 0.0
    windows: int = 0
    phrases: int = 0
    looked: int = 0
    reason: str = ""
    times_s: tuple[float, ...] = ()
    values_ms: tuple[float, ...] = ()
    inverted: bool = False
    dry: bool = False


class PictureLeft(msgspec.Struct, frozen=True, kw_only=True):
    """How much later than the lead's sound the picture was seen; `against_sound_ms` against the part it shows."""

    part: str
    left_ms: float
    against_sound_ms: float
    plus_minus_ms: float
    claps: int
    period_ms: float


class ListenerProof(msgspec.Struct, frozen=True, kw_only=True):
    """What was measured in one listener's file. `lead` is the part that everything is measured against; `reason` says
    why nothing could be."""

    left: dict[str, PartLeft] = {}
    lead: str = ""
    picture: PictureLeft | None = None
    reason: str = ""


class PartVerdict(msgspec.Struct, frozen=True):
    """`left_s` ± `plus_minus_s` (95 %), positive when late; `more_s` how much longer to record to be sure."""

    part: str
    code: PartCode
    left_s: float = 0.0
    plus_minus_s: float = 0.0
    more_s: float = 0.0
    windows: int = 0
    reason: str = ""
    inverted: bool = False
    dry: bool = False

    @property
    def edge_s(self) -> float:
        """How far off it may be: the farther edge of its interval."""
        return abs(self.left_s) + self.plus_minus_s


class TakeVerdict(msgspec.Struct, frozen=True):
    """One listener of a take: every sound part that is routed there, and the picture where one was seen."""

    listener: str
    parts: tuple[PartVerdict, ...]
    picture: PartVerdict | None
    reason: str = ""

    @property
    def worst(self) -> PartVerdict | None:
        """The part that speaks for the listener: what is off first, then what was not found or is not sure."""
        order: tuple[PartCode, ...] = ("late", "early", "not_found", "not_sure", "too_little")
        bad = [p for p in self.parts if p.code != "in_step"]
        bad += [self.picture] if self.picture is not None and self.picture.code != "in_step" and not bad else []
        return min(bad, key=lambda p: (order.index(p.code), -abs(p.left_s)), default=None)

    @property
    def in_step(self) -> bool:
        return not self.reason and bool(self.parts) and self.worst is None

    @property
    def edge_s(self) -> float:
        """The words “in step within” name this."""
        return max((p.edge_s for p in self.parts), default=0.0)

    @property
    def dry(self) -> bool:
        """Whether any of it rests on the round trip."""
        return any(p.dry for p in self.parts)


def half_width_s(error_s: float, windows: int) -> float:
    """Half of the 95 % interval of a median with this standard error, from so many windows."""
    if windows < 2:
        return math.inf if error_s else 0.0
    freedom = max((n for n in _T95 if n <= windows - 1), default=1)
    return error_s * (1.96 if windows > 120 else _T95[freedom])


def part_verdict(part: str, left: PartLeft, window_s: float, frame_s: float = 0.0) -> PartVerdict:
    """`window_s` is the length of one window. `frame_s` is not 0 for known sources on one clock: they are held to
    it."""
    value = left.median_ms / 1e3
    if left.reason == "no_source" or (left.windows == 0 and left.looked > 0):
        return PartVerdict(part, "not_found", reason=left.reason)
    telling = left.phrases or left.windows
    width = half_width_s(left.error_ms / 1e3, telling)
    if telling < ENOUGH_WINDOWS or not math.isfinite(width):
        return PartVerdict(part, "too_little", value, 0.0, windows=left.windows)
    if left.reason:
        return PartVerdict(part, "not_sure", value, width, windows=left.windows, reason=left.reason)
    near, far = max(0.0, abs(value) - width), abs(value) + width
    step, edge = (frame_s, frame_s) if frame_s else (IN_STEP_S, EDGE_S)
    if near > step:
        return PartVerdict(part, "late" if value > 0 else "early", value, width, windows=left.windows)
    if far <= edge * (1 + 1e-9):
        return PartVerdict(part, "in_step", value, width, windows=left.windows)
    # Either the interval ends within the edge, or it leaves the middle: whichever needs less.
    wanted = max(edge - abs(value), abs(value) - step, 1e-6)
    more = left.windows * ((width / wanted) ** 2 - 1) * window_s
    return PartVerdict(part, "not_sure", value, width, max(window_s, more), left.windows)


def _picture_verdict(picture: PictureLeft) -> PartVerdict:
    """Sound against picture is judged by half a picture period."""
    value, width, limit = picture.left_ms / 1e3, picture.plus_minus_ms / 1e3, picture.period_ms / 2e3
    code: PartCode = "late" if value > 0 else "early"
    if abs(value) <= limit:
        code = "in_step"
    elif abs(value) - width <= limit:
        code = "not_sure"
    return PartVerdict(picture.part, code, value, width, windows=picture.claps)


def sounds_at(setup: Setup, moment: str, listener: str) -> list[Part]:
    """The sounds that reach a listener in a moment and have to be together there: leads and those who play along.

    Far ends apart: they answer a network round trip late and are never aligned live. A count-in is over before."""
    found, changes = [], setup.moment(moment)
    muted = {(c.part, c.listener) for c in changes.routes if c.mute} if changes is not None else set()
    for part in setup.parts:
        route = setup.route(part.id, listener)
        if part.kind not in ("lead", "follower") or part.source == "count_in" or route is None or not route.on:
            continue
        if (part.id, listener) not in muted:
            found.append(part)
    return found


def take_verdict(
    setup: Setup, moment: str, listener: str, proof: ListenerProof | None, window_s: float, frame_s: float = 0.0
) -> TakeVerdict:
    """What was measured of one listener of a take, `proof`, against every part that was routed to it."""
    parts = sounds_at(setup, moment, listener)
    if proof is None or proof.reason:
        reason = "not_measured" if proof is None else proof.reason
        code: PartCode = "too_little" if reason == "too_short" else "not_found"
        return TakeVerdict(listener, tuple(PartVerdict(p.id, code, reason=reason) for p in parts), None, reason)
    lead = proof.lead or next((p.id for p in parts if p.kind == "lead" and p.id in proof.left), "")
    found = []
    for p in parts:
        left = proof.left.get(p.id)
        if p.id == lead:
            found.append(PartVerdict(p.id, "in_step", windows=left.windows if left else 0))
        elif left is None:
            found.append(PartVerdict(p.id, "not_found"))
        else:
            found.append(replace(part_verdict(p.id, left, window_s, frame_s), inverted=left.inverted, dry=left.dry))
    picture = _picture_verdict(proof.picture) if proof.picture is not None else None
    return TakeVerdict(listener, tuple(found), picture)
