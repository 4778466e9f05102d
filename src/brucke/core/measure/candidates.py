"""The one rule by which a found number is accepted: what else it may as well be is named, and nothing is said where
that is as likely.

An estimator gives every value that the material allows, each with its weight. A value is accepted when enough of the
material agrees on it, it does not stand at the edge of what was looked through, the material does not repeat itself,
and no other value has nearly its weight.
"""

from collections.abc import Sequence

import msgspec

NAMED = 0.2  # of the weight of the best, from which on another value is named
AS_LIKELY = 0.9  # from which on nobody can tell the two


class Candidate(msgspec.Struct, frozen=True):
    """One value that the material allows: seconds, or whatever the estimator finds. `weight` is 1 for the best."""

    value: float
    plus_minus: float = 0.0
    weight: float = 1.0
    at_edge: bool = False


class Judgement(msgspec.Struct, frozen=True):
    """`reason` is empty where the best is accepted; else a code: “no_match” (too little agrees), “edge”, “repeats”,
    “ambiguous”. `rivals` are the others that are named, most likely first; where nothing is accepted the best is one of
    them."""

    reason: str
    rivals: tuple[Candidate, ...] = ()

    @property
    def accepted(self) -> bool:
        return not self.reason


def clearer_beyond(others: Sequence[Candidate], reach: float) -> tuple[Candidate, ...]:
    """Those farther from none than `reach` that are clearly likelier than the best within it."""
    return tuple(c for c in others if abs(c.value) > reach and c.weight > 1 / AS_LIKELY)


def judge(
    found: Sequence[Candidate], agreed: bool, period: float = 0.0, named: float = NAMED, ties_named: bool = False
) -> Judgement:
    """found: best first. agreed: whether enough of the material agrees with the best. period: after which the material
    repeats itself, 0 where it does not. named: the weight from which on another is named. ties_named: the first is
    meant even where others are as likely, as where beats are even; they are named."""
    if not found or not agreed:
        return Judgement("no_match")
    best, *others = found
    if best.at_edge:
        return Judgement("edge")
    rivals = tuple(sorted((c for c in others if c.weight >= named * best.weight), key=lambda c: -c.weight))
    if period:
        return Judgement("repeats", (best, *rivals))
    if not ties_named and any(c.weight >= AS_LIKELY * best.weight for c in rivals):
        return Judgement("ambiguous", (best, *rivals))
    return Judgement("", rivals)
