"""What Review shows of one take against the one before it: plain data. No Qt."""

import msgspec

from ....core.timing.take_verdict import ListenerProof, PartVerdict, TakeVerdict
from ....takes.judging import judge
from ....takes.take import Take
from ....words import timing
from ....words.detail import in_numbers
from ....words.review import left_text, needs_you, part_text, take_text
from ....words.translation import _

DRAWN = ("in_step", "early", "late", "not_sure")


class Mark(msgspec.Struct, frozen=True):
    """One part at one listener, in milliseconds against the lead: now, and before (None where unknown). Without a
    `now_ms` there is nothing to draw, only the words."""

    name: str
    colour: int
    now_ms: float | None
    plus_minus_ms: float
    before_ms: float | None
    text: str
    good: bool


class Group(msgspec.Struct, frozen=True):
    """`text` is the listener's one sentence; `reason` stands where nothing was measured."""

    listener: str
    name: str
    marks: tuple[Mark, ...]
    reason: str
    text: str
    good: bool


class ReviewData(msgspec.Struct, frozen=True):
    title: str
    groups: tuple[Group, ...]
    empty: str


def _signed(value: float) -> str:
    return f"{'−' if value < 0 else '+'}{abs(value):.2f}" if abs(value) < 9.995 else f"{value:+.1f}".replace("-", "−")


def _mark(take: Take, v: PartVerdict, before_ms: float | None) -> Mark:
    part = take.setup.part(v.part)
    if v.code not in DRAWN:
        return Mark(part.name, part.colour, None, 0.0, None, part_text(v), False)
    text = left_text(v) if v.code != "not_sure" or v.reason else part_text(v)
    if before_ms is not None and v.code != "not_sure":
        text = f"{text}, was {_signed(before_ms)}"
    return Mark(part.name, part.colour, v.left_s * 1e3, v.plus_minus_s * 1e3, before_ms, text, v.code == "in_step")


def _marks(take: Take, v: TakeVerdict, lead: str, before: ListenerProof | None) -> list[Mark]:
    marks = []
    for p in v.parts:
        if p.part == lead:
            continue
        old = before.left.get(p.part) if before else None
        marks.append(_mark(take, p, old.median_ms if old is not None and old.windows else None))
    if v.picture is not None:
        was = before.picture.left_ms if before and before.picture else None
        marks.append(_mark(take, v.picture, was))
    return marks


def _lead(take: Take, proof: ListenerProof) -> str:
    return proof.lead or next((p for p in proof.left if take.setup.part(p).kind == "lead"), "")


def review_data(take: Take | None, before: Take | None) -> ReviewData:
    if take is None:
        return ReviewData(
            "",
            (),
            _(
                "No recording yet. A test recording is half a minute; what is left between voice, music and picture "
                "is measured in it."
            ),
        )
    groups = []
    for listener, v in judge(take).items():
        proof = take.proof.get(listener)
        old = before.proof.get(listener) if before else None
        marks = () if proof is None or v.reason else tuple(_marks(take, v, _lead(take, proof), old))
        text, name = take_text(take.setup, v), timing.listener_name(take.setup, listener)
        groups.append(Group(listener, name, marks, text if v.reason else "", text, not needs_you(v)))
    return ReviewData(_("Take of {date}").format(date=timing.date_text(take.date)), tuple(groups), "")


def table_rows(data: ReviewData) -> tuple[list[str], list[list[str]]]:
    head = ["listener", "part", _("left now"), "±", _("left before"), "verdict"]
    rows = []
    for g in data.groups:
        for m in g.marks:
            now = "" if m.now_ms is None else f"{_signed(m.now_ms)} ms"
            was = "" if m.before_ms is None else f"{_signed(m.before_ms)} ms"
            width = "" if m.now_ms is None else f"{max(m.plus_minus_ms, 0.01):.2g}"
            rows.append([g.name, m.name, now, width, was, _("in step") if m.good else m.text])
        if g.reason:
            rows.append([g.name, g.reason, "", "", "", ""])
    if not in_numbers():
        head, rows = [*head[:3], *head[4:]], [[*r[:3], *r[4:]] for r in rows]
    return head, rows
