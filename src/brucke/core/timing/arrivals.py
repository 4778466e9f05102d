"""When every route arrives at its listener, and what may be said of it: plain data, filled in by `align.py`."""

from functools import cached_property
from typing import Literal

import msgspec

from ..document.setup import Setup
from ..findings import Finding, Verdict
from .paths import Stage, way_unknown
from .uncertain import Uncertain

# A guess that adds no more than this to a difference does not make its verdict one: half of what is called in step.
SLIGHT_S = 5e-4

RouteCode = Literal["in_step", "early", "late", "own_sound", "far_end", "unknown", "cannot_be_judged"]


class RouteTiming(msgspec.Struct, frozen=True):
    """One route at one listener. `off` is arrival − target, negative when early; None where not aligned. `problem` is
    why it cannot be judged though its arrival is known."""

    part: str
    kind: str
    root: str
    origin: Uncertain
    stages: tuple[Stage, ...]
    arrival: Uncertain
    delay_frames: int
    align_delay_frames: int
    off: Uncertain | None
    outside: bool = False
    in_step: bool = False
    problem: Finding | None = None

    @property
    def _to_measure(self) -> tuple[Stage, ...]:
        """What cannot be calculated: converters, and the picture's own way."""
        if self.kind == "picture":
            return tuple(s for s in self.stages if s.code == "picture coder")
        return tuple(s for s in self.stages if s.code in ("capture", "output", "picture coder"))

    @property
    def measured(self) -> bool:
        """Whether that was measured, confirmed since or not, and whatever else its distance from the target rests on
        was not merely calculated or reported: the headphones of who plays along are on no way to a stream, and move
        what is heard there."""
        if self.kind == "picture" and not self._to_measure:
            return False
        on_its_way = all(s.evidence in ("measured", "unconfirmed") for s in self._to_measure)
        return on_its_way and (
            self.off is None or self.off.weakest(SLIGHT_S) not in ("calculated", "reported", "unknown")
        )

    @property
    def as_of(self) -> str:
        """The date of the oldest measurement in it that is unconfirmed; empty where none is."""
        dates = [s.date for s in self._to_measure if s.evidence == "unconfirmed"]
        return min([*dates, *([self.off.as_of] if self.off is not None and self.off.as_of else [])], default="")

    def can_be_delayed(self, monitor: bool) -> bool:
        """Whether a delay of ours could put it in step; in the headphones just the lead waits, never who plays
        along."""
        if self.outside or self.problem is not None or self.off is None or self.kind in ("picture", "far_end"):
            return False
        return not monitor or self.kind == "lead"

    @property
    def unknown(self) -> bool:
        """Whether nobody measured, entered or reported what its way takes: then no number is said of it."""
        return way_unknown(self.stages)

    @property
    def code(self) -> RouteCode:
        if self.problem is not None:
            return "cannot_be_judged"
        if self.unknown:
            return "unknown"
        if self.kind == "far_end":
            return "far_end"
        if self.off is None:
            return "own_sound"
        return "in_step" if self.in_step else "early" if self.off.value < 0 else "late"


class Unjudged(msgspec.Struct, frozen=True):
    """A part that is routed here and has no origin, so that nobody can say when it arrives; `problem` says why."""

    part: str
    kind: str
    problem: Finding

    @property
    def code(self) -> RouteCode:
        return "cannot_be_judged"


class ListenerTiming(msgspec.Struct, frozen=True, dict=True):
    """`target` is that of the first lead's group; `hand_off_s` what the picture has to wait elsewhere; `unjudged` are
    routed here too, and nobody knows when they arrive."""

    listener: str
    target: Uncertain | None
    routes: tuple[RouteTiming, ...]
    hand_off_s: float
    to_ears: bool
    least_delay: bool
    findings: tuple[Finding, ...]
    verdict: Verdict
    unjudged: tuple[Unjudged, ...] = ()

    @property
    def picture_unknown(self) -> bool:
        """Whether a picture is routed here whose way nobody measured."""
        return any(r.kind == "picture" and r.unknown for r in self.routes)

    @property
    def wanted_so(self) -> bool:
        """Whether what is apart here is so because the user asked for it: the least delay, or a limit to waiting."""
        return self.least_delay or self.verdict.at_limit

    def problem(self, part: str) -> Finding | None:
        """Why a part that is routed here cannot be judged."""
        found = self.of_part(part)
        return found.problem if found is not None else None

    @cached_property
    def _by_part(self) -> dict[str, RouteTiming | Unjudged]:
        at_all: list[RouteTiming | Unjudged] = [*self.routes, *self.unjudged]
        return {r.part: r for r in at_all}

    def can_delay(self, setup: Setup, r: RouteTiming) -> bool:
        """Whether a route may be delayed here and now: not while the least delay is wanted."""
        return not self.least_delay and r.can_be_delayed(setup.listener(self.listener).kind == "monitor")

    def of_part(self, part: str) -> RouteTiming | Unjudged | None:
        return self._by_part.get(part)

    def route(self, part: str) -> RouteTiming | None:
        found = self._by_part.get(part)
        return found if isinstance(found, RouteTiming) else None


class Timing(msgspec.Struct, frozen=True):
    listeners: tuple[ListenerTiming, ...]
    findings: tuple[Finding, ...]

    def of(self, listener: str) -> ListenerTiming:
        return next(x for x in self.listeners if x.listener == listener)
