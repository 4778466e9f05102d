"""From how many milliseconds on somebody hears two sounds apart: blind comparisons in a staircase.

Of two tries, in random order, one is apart; who names it twice running gets a smaller distance, who errs once a larger
one. That closes in on the distance that is heard in 70.7 % of tries (Levitt 1971, Transformed up-down methods in
psychoacoustics). Distances are in milliseconds and change by factors.
"""

import math

import msgspec
from msgspec.structs import replace

FIRST_MS, LEAST_MS, MOST_MS = 160.0, 1.0, 400.0
COARSE, FINE = 2.0, 2**0.5  # the factor of a step, before and after the first two turns
TURNS, COUNTED = 8, 6  # when it ends, and the last of them that count
AT_ENDS = 4  # so many wrong at the largest distance, or right at the least, and it ends too
CHANCE = 0.707


class Staircase(msgspec.Struct, frozen=True):
    """`turns` are the distances at which the direction changed, `asked` how many comparisons there were."""

    ms: float = FIRST_MS
    right: int = 0
    down: bool = True
    turns: tuple[float, ...] = ()
    asked: int = 0
    at_end: int = 0

    @property
    def done(self) -> bool:
        return len(self.turns) >= TURNS or self.at_end >= AT_ENDS

    @property
    def never_heard(self) -> bool:
        """Whether even the largest distance was not told apart."""
        return self.done and len(self.turns) < TURNS and self.ms >= MOST_MS

    @property
    def threshold_ms(self) -> float:
        """Where it is done."""
        if len(self.turns) < TURNS:
            return self.ms
        return math.exp(sum(map(math.log, self.turns[-COUNTED:])) / COUNTED)

    @property
    def between_ms(self) -> tuple[float, float]:
        """Where it very probably (95 %) lies, from how the turns scatter, but never narrower than a step."""
        if len(self.turns) < TURNS:
            return (0.0, self.ms) if self.ms <= LEAST_MS else (self.ms, math.inf)
        logs = [math.log(x) for x in self.turns[-COUNTED:]]
        mean = sum(logs) / COUNTED
        spread = math.sqrt(sum((x - mean) ** 2 for x in logs) / (COUNTED - 1))
        wide = max(2.571 * spread / math.sqrt(COUNTED), math.log(FINE))  # Student's t, five degrees of freedom
        return math.exp(mean - wide), math.exp(mean + wide)

    def answered(self, correct: bool) -> "Staircase":
        """The next distance."""
        asked, right = self.asked + 1, self.right + 1 if correct else 0
        if correct and right < 2:
            return replace(self, right=right, asked=asked)
        down = correct
        turns = (*self.turns, self.ms) if down != self.down and self.asked else self.turns
        factor = COARSE if len(turns) < 2 else FINE
        ms = min(max(self.ms / factor if down else self.ms * factor, LEAST_MS), MOST_MS)
        return Staircase(ms, 0, down, turns, asked, self.at_end + 1 if ms == self.ms else 0)
