"""What Align shows of one listener: plain data, made from the session's timing. No Qt."""

import msgspec

from ....core.document.setup import Setup
from ....core.timing.arrivals import ListenerTiming
from ....core.timing.verdicts import PICTURE_EARLY_S, PICTURE_LATE_S
from ....words import explanations, timing
from ....words.detail import in_numbers
from ....words.translation import _

PATTERNS = {
    "measured": "solid",
    "unconfirmed": "solid",
    "calculated": "light",
    "reported": "light",
    "entered": "light",
    "unknown": "light",
}


class Step(msgspec.Struct, frozen=True):
    """One stage on the ruler, in milliseconds from the beat."""

    name: str
    short: str
    start_ms: float
    end_ms: float
    pattern: str


class Lane(msgspec.Struct, frozen=True):
    """One part: what it waits for, its steps, its delay, and where it arrives. `problem` stands in place of all that
    where nobody can say when it arrives; `unknown` that a step of its way is not known, so that it has no place on the
    ruler."""

    part: str
    name: str
    colour: int
    kind: str
    wait_text: str
    wait_ms: float
    steps: tuple[Step, ...]
    delay_start_ms: float
    delay_ms: float
    arrival_ms: float
    off_ms: float | None
    flag: str
    good: bool
    aligned: bool
    problem: str = ""
    unknown: bool = False


class AlignData(msgspec.Struct, frozen=True):
    """`band_ms` is what ears and eyes accept around the picture; None without a picture."""

    listener: str
    lanes: tuple[Lane, ...]
    target_ms: float | None
    band_ms: tuple[float, float] | None
    empty: str
    end: str


def align_data(setup: Setup, t: ListenerTiming) -> AlignData:
    lanes = []
    for r in t.routes:
        part = setup.part(r.part)
        at = r.origin.value
        steps = []
        for s in r.stages:
            if s.latency.value > 1e-5:
                steps.append(
                    Step(
                        timing.stage_text(setup, s), timing.stage_short(s), at * 1e3, (at + s.latency.value) * 1e3,
                        PATTERNS[s.evidence],
                    )
                )  # fmt: skip
            at += s.latency.value
        delay = r.delay_frames / setup.rate_hz
        good = r.code != "cannot_be_judged" and (r.in_step or t.wanted_so)
        lanes.append(
            Lane(
                r.part, part.name, part.colour, timing.KIND_WORDS[part.kind],
                timing.hearing_text(setup, r.part) if part.kind != "lead" else "", r.origin.value * 1e3, tuple(steps),
                at * 1e3, delay * 1e3, r.arrival.value * 1e3, None if r.off is None else r.off.value * 1e3,
                explanations.route_text(setup, r), good, r.off is not None, unknown=r.unknown,
            )
        )  # fmt: skip
    for u in t.unjudged:
        part = setup.part(u.part)
        kind, why = timing.KIND_WORDS[part.kind], timing.finding_text(setup, u.problem)
        lanes.append(Lane(u.part, part.name, part.colour, kind, "", 0, (), 0, 0, 0, None,
            explanations.route_text(setup, u), False, False, why))  # fmt: skip
    picture = any(r.kind == "picture" and not r.unknown for r in t.routes)
    target = None if t.target is None else t.target.value * 1e3
    band = None
    if picture and target is not None:
        band = (target - PICTURE_EARLY_S * 1e3, target + PICTURE_LATE_S * 1e3)
    return AlignData(
        t.listener, tuple(lanes), target, band,
        "" if lanes else _("Nothing is routed here yet."),
        _("at their ears") if t.to_ears else _("at our own output"),
    )  # fmt: skip


def table_rows(setup: Setup, t: ListenerTiming) -> tuple[list[str], list[list[str]]]:
    """The same facts as a table: one row a step, then the delay and the arrival of the part."""
    head = ["part", "step", "takes", "±", _("how we know")]
    rows = []
    for r in t.routes:
        name = timing.part_name(setup, r.part)
        if r.origin.value > 0:
            waits = timing.hearing_text(setup, r.part)
            rows.append(
                [name, waits, timing.ms_text(r.origin.value, 2), timing.plus_minus_text(r.origin.plus_minus), ""]
            )
        for s in r.stages:
            rows.append(
                [
                    name, timing.stage_text(setup, s),
                    "" if s.evidence == "unknown" else timing.ms_text(s.latency.value, 2),
                    timing.plus_minus_text(s.latency.plus_minus), timing.evidence_text(s),
                ]
            )  # fmt: skip
        delay = r.delay_frames / setup.rate_hz
        rows.append([name, "delay", timing.ms_text(delay, 2), "", _("set here") if delay else ""])
        arrives = timing.plus_minus_text(r.off.plus_minus) if r.off is not None else ""
        when = "" if r.unknown else timing.ms_text(r.arrival.value, 2)
        rows.append([name, "arrives", when, arrives, explanations.route_text(setup, r)])
    for u in t.unjudged:
        rows.append([timing.part_name(setup, u.part), "arrives", "", "", explanations.route_text(setup, u)])
    if not in_numbers():
        head, rows = [*head[:3], *head[4:]], [[*r[:3], *r[4:]] for r in rows]
    return head, rows
