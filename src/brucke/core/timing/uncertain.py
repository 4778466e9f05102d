"""A time with its ±, kept as separate named terms so that what two arrivals share cancels in their difference, and how
each of them is known.

Linear error propagation with independent terms (GUM, JCGM 100, section 5): the terms of one name are
fully correlated wherever they occur, terms of different names are independent.
"""

import math
from collections.abc import Mapping
from typing import Literal, NamedTuple

import msgspec

EvidenceKind = Literal["measured", "unconfirmed", "entered", "reported", "calculated", "unknown"]  # the weakest last
WEAKEST_LAST: tuple[EvidenceKind, ...] = ("measured", "unconfirmed", "entered", "reported", "calculated", "unknown")
NOTHING_S = 1e-9  # a term of no more than this has cancelled


class Evidence(NamedTuple):
    """How something is known, and since when where it was measured."""

    kind: EvidenceKind
    date: str = ""


class Uncertain(msgspec.Struct, frozen=True):
    """Seconds, the half-width each named cause adds (signed, so that shared causes cancel), and the evidence of each
    cause; what says nothing of it was calculated."""

    value: float
    terms: Mapping[str, float] = {}
    evidence: Mapping[str, Evidence] = {}

    def __add__(self, other: "Uncertain") -> "Uncertain":
        return self._combine(other, 1.0)

    def __sub__(self, other: "Uncertain") -> "Uncertain":
        return self._combine(other, -1.0)

    def _combine(self, other: "Uncertain", sign: float) -> "Uncertain":
        terms = dict(self.terms)
        for name, width in other.terms.items():
            terms[name] = terms.get(name, 0.0) + sign * width
        return Uncertain(self.value + sign * other.value, terms, {**self.evidence, **other.evidence})

    def shifted(self, seconds: float) -> "Uncertain":
        return Uncertain(self.value + seconds, self.terms, self.evidence)

    def known(self, kind: EvidenceKind, date: str = "") -> "Uncertain":
        """The same, every term of it known in this way."""
        return Uncertain(self.value, self.terms, dict.fromkeys(self.terms, Evidence(kind, date)))

    @property
    def plus_minus(self) -> float:
        return math.sqrt(sum(w * w for w in self.terms.values()))

    def evidence_beyond(self, width_s: float) -> list[Evidence]:
        """How the terms wider than `width_s` are known; what cancelled is not among them."""
        return [self.evidence.get(name, Evidence("calculated")) for name, w in self.terms.items() if abs(w) > width_s]

    def weakest(self, width_s: float) -> EvidenceKind:
        """The weakest kind of evidence of any term wider than `width_s`; measured where there is none."""
        kinds = [e.kind for e in self.evidence_beyond(width_s)]
        return max(kinds, key=WEAKEST_LAST.index, default="measured")

    @property
    def as_of(self) -> str:
        """The oldest date of what was measured and not confirmed since; empty where there is none."""
        return min((e.date for e in self.evidence_beyond(NOTHING_S) if e.kind == "unconfirmed"), default="")


ZERO = Uncertain(0.0)


def total(quantities: "list[Uncertain] | tuple[Uncertain, ...]") -> Uncertain:
    result = ZERO
    for q in quantities:
        result = result + q
    return result
