"""The soundcheck: every check of a situation, and what mends a finding. What a finding means is said in
`words/soundcheck.py`. What was not heard, measured or looked at is not yet good, and never counted so."""

from typing import Literal

import msgspec

from ..document.setup import Setup
from ..findings import Finding
from ..timing.paths import Situation
from .check import Known
from .equipment_checks import COMPUTER, EQUIPMENT
from .route_checks import ROUTES
from .signal_checks import SIGNAL
from .timing_checks import TIMING

CHECKS = (*EQUIPMENT, *SIGNAL, *ROUTES, *TIMING, *COMPUTER)
_MENDS = {code: mend for check in CHECKS for code, mend in check.mends.items()}


class Result(msgspec.Struct, frozen=True):
    """What one check found; `looked` is False where it could not be told yet."""

    check: str
    findings: tuple[Finding, ...]
    looked: bool = True

    @property
    def state(self) -> Literal["good", "not_yet", "mend"]:
        if any(f.needs == "you" for f in self.findings):
            return "mend"
        return "good" if self.looked else "not_yet"

    @property
    def good(self) -> bool:
        return self.state == "good"


def soundcheck(situation: Situation) -> list[Result]:
    """One result a check. Without a part and a listener there is nothing to judge yet."""
    known = Known(situation.setup, situation.knowledge, situation.facts, situation.moment)
    something = bool(known.setup.parts and known.setup.listeners)
    return [Result(c.code, tuple(c.find(known)), something and c.looked(known)) for c in CHECKS]


def mended(known: Situation, f: Finding) -> Setup | None:
    """The setup without what `f` found; None where a hand or a measurement has to do it, or nothing would change."""
    mend = _MENDS.get(f.code)
    after = mend(known, f) if callable(mend) else None
    return None if after == known.setup else after


def by_hand(f: Finding) -> str:
    """The action of the window that leads to where a finding is mended by hand."""
    mend = _MENDS.get(f.code)
    return mend if isinstance(mend, str) else "gather"
