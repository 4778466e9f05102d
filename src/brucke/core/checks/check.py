"""What a check of the soundcheck is, and what several checks ask of a situation."""

from collections.abc import Callable, Iterator, Mapping
from functools import cached_property

import msgspec

from ..aligning.align import timing
from ..document.setup import Listener, Part, Setup
from ..findings import Finding
from ..routing.feedback_loops import Loop, carries, loops
from ..timing.arrivals import Timing
from ..timing.paths import Situation

LISTEN_AT_LEAST_S = 2.0


class Known(Situation, frozen=True, dict=True):
    """A situation with what several checks ask of it."""

    @cached_property
    def timing(self) -> Timing:
        return timing(self)

    @cached_property
    def loops(self) -> list[Loop]:
        return loops(self.setup)


Find = Callable[[Known], Iterator[Finding]]
# The setup without what was found, or the action of the window that leads to whoever mends it by hand.
Mend = Callable[[Situation, Finding], Setup | None] | str


def written(known: Known) -> bool:
    """The document says all that this check asks."""
    return True


class Check(msgspec.Struct, frozen=True):
    """`find` yields what is wrong; `looked` says whether what the check asks is known at all; `mends` how each finding
    of it is mended, by the finding's code."""

    code: str
    find: Find
    looked: Callable[[Known], bool] = written
    mends: Mapping[str, Mend] = {}


def sounds(setup: Setup) -> list[Part]:
    return [p for p in setup.parts if p.kind != "picture"]


def hears(setup: Setup, listener: Listener) -> list[Part]:
    """The sounds that reach a listener, carried here or outside."""
    return [p for p in sounds(setup) if (r := setup.route(p.id, listener.id)) is not None and carries(r)]


def listened(known: Known) -> bool:
    return known.facts.listened_s >= LISTEN_AT_LEAST_S
