"""Whether everything arrives together, by evidence that still counts."""

from collections.abc import Iterator

from ..aligning.align import align
from ..edits.route_edits import change_device
from ..findings import Finding, Value
from ..knowledge.quantities import QUANTITIES
from ..timing.verdicts import OWN_SOUND_LIMIT_S
from .check import Check, Known
from .equipment_checks import buffer_too_long, smallest_buffers


def _timed(known: Known) -> bool:
    """Whether nothing rests on calculation where it could be measured, and nothing is left unjudged."""
    return all(t.verdict.code == "nothing_routed" or t.verdict.sure for t in known.timing.listeners)


def _timed_with_picture(known: Known) -> bool:
    return _timed(known) and not any(t.picture_unknown for t in known.timing.listeners)


def _evidence(known: Known) -> Iterator[Finding]:
    for quantity in QUANTITIES:
        for ids in (way.ids for way in quantity.ways(known.setup)):
            what: dict[str, Value] = {"quantity": quantity.code}
            counts = known.knowledge.counting(quantity, known.setup, *ids)
            newest = known.knowledge.newest(quantity.key(*ids))
            if newest is None:
                yield Finding(code="not_measured", device=ids[0], values=what)
            elif counts is None:
                contradicted = known.knowledge.contradicted(newest)
                yield Finding(code="contradicted" if contradicted else "stale", device=ids[0], values=what)
            elif known.knowledge.unconfirmed(counts):
                yield Finding(code="unconfirmed", device=ids[0], needs="look", values={**what, "date": counts.date})


def _in_step(known: Known) -> Iterator[Finding]:
    """One finding for all who are out of step, since one action mends them: the one that is furthest off."""
    off = [v for t in known.timing.listeners if (v := t.verdict).code in ("early", "late") and not v.at_limit]
    if off:
        v = max(off, key=lambda v: abs(v.off_s))
        yield Finding(
            code="out_of_step", part=v.part, listener=v.listener,
            values={"ms": v.off_s * 1e3, "verdict": v.code, "more": len(off) - 1},
        )  # fmt: skip
    for t in known.timing.listeners:
        # What cannot be judged for want of an origin is told by `_needs`, once.
        yield from (f for f in t.findings if f not in known.timing.findings)
        if (v := t.verdict).at_limit:
            most = known.setup.listener(t.listener).wait_at_most_ms
            yield Finding(
                code="at_limit", part=v.part, listener=t.listener, needs="look",
                values={"ms": v.off_s * 1e3, "verdict": v.code, "most": most},
            )  # fmt: skip
        if t.picture_unknown:
            picture = next(r.part for r in t.routes if r.kind == "picture" and r.unknown)
            yield Finding(code="picture_unknown", part=picture, listener=t.listener, needs="look")
        if t.verdict.code == "picture_first":
            yield Finding(
                code="picture_first", part=t.verdict.part, listener=t.listener, needs="look",
                values={"ms": t.hand_off_s * 1e3},
            )  # fmt: skip


def _own_sound(known: Known) -> Iterator[Finding]:
    for t in known.timing.listeners:
        v = t.verdict
        device = known.setup.device(known.setup.listener(t.listener).device)
        # A buffer that is too long anyway is told by `_buffers`, with the same mend.
        if v.code == "own_sound" and v.off_s > OWN_SOUND_LIMIT_S and not buffer_too_long(device):
            yield Finding(
                code="own_sound_late", part=v.part, listener=t.listener, device=device.id, values={"ms": v.off_s * 1e3}
            )  # fmt: skip


def _wireless(known: Known) -> Iterator[Finding]:
    setup = known.setup
    for x in setup.listeners:
        if x.kind == "monitor" and setup.device(x.device).wireless:
            yield Finding(code="wireless", listener=x.id, device=x.device)


TIMING = (
    Check("evidence", _evidence, mends={"not_measured": "measure", "stale": "measure", "contradicted": "measure",
    "unconfirmed": "confirm"}),
    Check("in_step", _in_step, _timed_with_picture, {
        "out_of_step": lambda known, f: align(known), "at_limit": "align", "picture_unknown": "align", "picture_first":
        "align",
        "delay_too_long": "align", "not_aligned": "align",
    }),
    Check("own_sound", _own_sound, _timed, {"own_sound_late": smallest_buffers}),
    Check("wireless", _wireless, mends={"wireless": lambda known, f: change_device(known.setup, f.device,
    wireless=False)}),
)  # fmt: skip
