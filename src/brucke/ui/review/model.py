"""What Review shows of one take against the one before it: plain data. No Qt."""

from dataclasses import dataclass

from ... import words
from ...takes.take import ListenerProof, Take

# Fewer independent windows than this say too little about a player with human scatter.
ENOUGH_WINDOWS = 4

REASONS = {
    "no_lead": "no lead is routed here, so there is nothing to measure against",
    "too_short": "too short to measure; record at least six seconds",
    "not_found": "the lead was not found in this recording",
}


@dataclass(frozen=True)
class Mark:
    """One part at one listener, in milliseconds against the lead: now, and before (None where unknown)."""

    name: str
    colour: int
    now_ms: float
    error_ms: float
    before_ms: float | None
    text: str
    good: bool


@dataclass(frozen=True)
class Group:
    listener: str
    name: str
    marks: tuple[Mark, ...]
    reason: str


@dataclass(frozen=True)
class ReviewData:
    title: str
    groups: tuple[Group, ...]
    empty: str


def _ms(value: float) -> str:
    sign = "−" if value < 0 else "+"
    return f"{sign}{abs(value):.2f}" if abs(value) < 9.995 else f"{sign}{abs(value):.1f}"


def left_text(now: float, error: float, before: float | None) -> str:
    """“+0.31 ms ± 0.8, was −11.9”"""
    text = f"{_ms(now)} ms ± {max(error * 1.96, 0.01):.2g}"
    return f"{text}, was {_ms(before)}" if before is not None else text


def _marks(take: Take, proof: ListenerProof, before: ListenerProof | None) -> list[Mark]:
    marks = []
    for part, left in proof.left.items():
        if left.windows == 0:
            continue
        was = before.left[part].median_ms if before and part in before.left else None
        p = take.setup.part(part)
        few = left.windows < ENOUGH_WINDOWS
        good = few or abs(left.median_ms) <= 1.0 + 3 * left.error_ms
        text = "too little to judge" if few else left_text(left.median_ms, left.error_ms, was)
        marks.append(Mark(p.name, p.colour, left.median_ms, left.error_ms, was, text, good))
    if proof.picture is not None:
        pic = proof.picture
        was = before.picture.left_ms if before and before.picture else None
        p = take.setup.part(pic.part)
        good = abs(pic.left_ms) <= pic.period_ms / 2
        text = left_text(pic.left_ms, pic.plus_minus_ms / 1.96, was)
        marks.append(Mark(p.name, p.colour, pic.left_ms, pic.plus_minus_ms / 1.96, was, text, good))
    return marks


def review_data(take: Take | None, before: Take | None) -> ReviewData:
    if take is None:
        return ReviewData(
            "", (), "No take yet. Record one: half a minute, and what is left between the parts is measured in it."
        )
    groups = []
    for listener in take.setup.listeners:
        if listener.kind == "monitor":
            continue
        proof = take.proof.get(listener.id)
        if proof is None:
            groups.append(Group(listener.id, listener.name, (), "not measured"))
            continue
        old = before.proof.get(listener.id) if before else None
        groups.append(
            Group(listener.id, listener.name, tuple(_marks(take, proof, old)), REASONS.get(proof.reason, proof.reason))
        )
    return ReviewData(f"Take of {words.date_text(take.date)}", tuple(groups), "")


def table_rows(data: ReviewData) -> tuple[list[str], list[list[str]]]:
    head = ["listener", "part", "left now", "±", "left before"]
    rows = []
    for g in data.groups:
        for m in g.marks:
            was = "" if m.before_ms is None else f"{_ms(m.before_ms)} ms"
            rows.append([g.name, m.name, f"{_ms(m.now_ms)} ms", f"{m.error_ms * 1.96:.2g}", was])
        if g.reason:
            rows.append([g.name, g.reason, "", "", ""])
    return head, rows


def worst(g: Group) -> str:
    """One listener's result in words."""
    if g.reason or not g.marks:
        return g.reason or "nothing to compare"
    off = [m for m in g.marks if not m.good]
    if not off:
        return "in step"
    m = max(off, key=lambda m: abs(m.now_ms))
    return f"{m.name.lower()} {'late' if m.now_ms > 0 else 'early'} {abs(m.now_ms):.1f} ms"
