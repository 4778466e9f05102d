"""One step of a route."""

import msgspec

from .uncertain import EvidenceKind, Uncertain


class Stage(msgspec.Struct, frozen=True):
    """One step of a route that costs time. `code` names it for `words/timing.py`, `detail` completes the name; `date`
    is when it was measured."""

    code: str
    latency: Uncertain
    evidence: EvidenceKind
    detail: str = ""
    date: str = ""
