"""One step of a route."""

from dataclasses import dataclass

from .uncertain import EvidenceKind, Uncertain


@dataclass(frozen=True)
class Stage:
    """One step of a route that costs time. `code` names it for `words/timing.py`, `detail` completes the name; `date`
    is when it was measured."""

    code: str
    latency: Uncertain
    evidence: EvidenceKind
    detail: str = ""
    date: str = ""
