"""A time with its ±, kept as separate named terms so that what two arrivals share cancels in their difference.

Linear error propagation with independent terms (GUM, JCGM 100, section 5): the terms of one name are
fully correlated wherever they occur, terms of different names are independent.
"""

import math
from collections.abc import Mapping
from dataclasses import dataclass, field


@dataclass(frozen=True)
class Quantity:
    """Seconds, and the half-width each named cause adds (signed, so that shared causes cancel)."""

    value: float
    terms: Mapping[str, float] = field(default_factory=dict)

    def __add__(self, other: "Quantity") -> "Quantity":
        return self._combine(other, 1.0)

    def __sub__(self, other: "Quantity") -> "Quantity":
        return self._combine(other, -1.0)

    def _combine(self, other: "Quantity", sign: float) -> "Quantity":
        terms = dict(self.terms)
        for name, width in other.terms.items():
            terms[name] = terms.get(name, 0.0) + sign * width
        return Quantity(self.value + sign * other.value, terms)

    def shifted(self, seconds: float) -> "Quantity":
        return Quantity(self.value + seconds, self.terms)

    @property
    def plus_minus(self) -> float:
        return math.sqrt(sum(w * w for w in self.terms.values()))


ZERO = Quantity(0.0)


def total(quantities: "list[Quantity] | tuple[Quantity, ...]") -> Quantity:
    result = ZERO
    for q in quantities:
        result = result + q
    return result
