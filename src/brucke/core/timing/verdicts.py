"""One verdict per listener: its worst route, or the performer's own sound at a monitor."""

import math

from ..document.setup import Listener
from ..findings import Finding, Verdict
from .arrivals import RouteTiming
from .origins import own_sound
from .paths import Situation
from .uncertain import Uncertain

# Closer than this two sounds are called in step: common practice, no source.
IN_STEP_S = 1e-3
# What is known no better than this is not simply in step: common practice, no source.
WIDE_S = 5e-3
# EBU R 37, end of chain (value from memory): sound at most 40 ms early, 60 ms late against the picture.
PICTURE_EARLY_S = 0.040
PICTURE_LATE_S = 0.060
# ITU-R BT.1359-1 (values from memory): sound early positive; detectable, unacceptable.
DETECTABLE_S = (0.045, -0.125)
UNACCEPTABLE_S = (0.090, -0.185)
# Ensemble performance threshold, about 20 to 30 ms (studies of paired clapping, value from memory).
OWN_SOUND_COMFORTABLE_S = 0.015
OWN_SOUND_LIMIT_S = 0.030
# ITU-T G.114 (values from memory): one way, good for most uses; not acceptable for planning.
CALL_GOOD_S = 0.150
CALL_LIMIT_S = 0.400


def picture_standing(sound_early_s: float) -> str:
    """“unnoticed”, “noticed” or “unacceptable” by BT.1359; positive: the sound comes before the picture."""
    for code, (early, late) in (("unacceptable", UNACCEPTABLE_S), ("noticed", DETECTABLE_S)):
        if not late <= sound_early_s <= early:
            return code
    return "unnoticed"


def within_chain(sound_early_s: float) -> bool:
    """Whether R 37 allows it at the end of a chain."""
    return -PICTURE_LATE_S <= sound_early_s <= PICTURE_EARLY_S


def delay_impairment(one_way_s: float) -> float:
    """Idd of ITU-T G.107 (formula from memory): 0 up to 100 ms, then growing; Ta in seconds here."""
    ta = one_way_s * 1e3
    if ta <= 100:
        return 0.0
    x = math.log2(ta / 100)
    return float(25 * ((1 + x**6) ** (1 / 6) - 3 * (1 + (x / 3) ** 6) ** (1 / 6) + 2))


def is_in_step(known: Situation, route: RouteTiming, routes: list[RouteTiming]) -> bool:
    """Whether one arrival is in step at its listener, beside the `routes` there that share its root.

    Sounds are judged to a millisecond against each other; sound against picture to half a picture period,
    also where it is the picture that sets the target.
    """
    if route.off is None:
        return False
    pictures = [r for r in routes if r.kind == "picture"]
    seen = max(
        (0.5 / known.setup.device(known.setup.part(r.part).device).pictures_per_s for r in pictures), default=0.0
    )
    if route.kind == "picture":
        return abs(route.off.value) <= seen
    lead = next((r for r in routes if r.kind == "lead" and r.off is not None), route)
    assert lead.off is not None
    together = _all_with(lead, routes) if route is lead else abs(route.off.value - lead.off.value) <= IN_STEP_S
    return abs(route.off.value) <= (max(seen, IN_STEP_S) if together else IN_STEP_S)


def _all_with(lead: RouteTiming, routes: list[RouteTiming]) -> bool:
    """Whether every other sound of the lead's group is with it."""
    assert lead.off is not None
    sounds = [r for r in routes if r.kind != "picture" and r.off is not None]
    return all(r.off is not None and abs(r.off.value - lead.off.value) <= IN_STEP_S for r in sounds)


def listener_verdict(
    known: Situation, listener: Listener, routes: list[RouteTiming], findings: list[Finding]
) -> Verdict:
    """`findings` are why something that is routed here cannot be judged: then nobody is called in step."""
    if findings:
        return Verdict(code="not_aligned", listener=listener.id, part=findings[0].part, sure=False)
    if not routes:
        return Verdict(code="nothing_routed", listener=listener.id)
    if listener.kind == "monitor":
        return _monitor_verdict(known, listener, routes)
    judged = [(r.off, r) for r in routes if r.off is not None]
    unknown = any(r.kind == "picture" and r.unknown for r in routes)
    sure = all(r.measured for _, r in judged) and not unknown
    as_of = _as_of([r for _, r in judged])
    picture = next((r for _, r in judged if r.kind == "picture" and not r.in_step), None)
    sounds_off = [(off, r) for off, r in judged if r.kind != "picture" and not r.in_step]
    if sounds_off:
        route = max(sounds_off, key=lambda x: (x[1].kind == "follower", abs(x[0].value)))[1]
        assert route.off is not None
        return Verdict(
            code="early" if route.off.value < 0 else "late", listener=listener.id, part=route.part,
            off_s=route.off.value, plus_minus_s=route.off.plus_minus, sure=sure, as_of=as_of,
        )  # fmt: skip
    if picture is not None and picture.off is not None:
        return Verdict(
            code="picture_first", listener=listener.id, part=picture.part, off_s=picture.off.value,
            plus_minus_s=picture.off.plus_minus, sure=sure, as_of=as_of,
        )  # fmt: skip
    widest = max((off.plus_minus for off, _ in judged), default=0.0)
    is_wide = sure and any(wide(off, r.kind) for off, r in judged)
    return Verdict(
        code="in_step", listener=listener.id, plus_minus_s=widest, sure=sure and not is_wide, as_of=as_of, wide=is_wide,
        picture_unknown=unknown,
    )  # fmt: skip


def wide(off: Uncertain, kind: str) -> bool:
    """Whether it may as well be so far out of step that people would notice."""
    if kind != "picture":
        return off.plus_minus > WIDE_S
    return any(picture_standing(off.value + edge) != "unnoticed" for edge in (off.plus_minus, -off.plus_minus))


def _as_of(routes: list[RouteTiming]) -> str:
    """The oldest date of what is unconfirmed in them."""
    return min((r.as_of for r in routes if r.as_of), default="")


def _monitor_verdict(known: Situation, listener: Listener, routes: list[RouteTiming]) -> Verdict:
    own = [
        (delay, r)
        for r in routes
        if r.kind == "follower" and (delay := own_sound(known, known.setup.part(r.part), listener)) is not None
    ]
    if not own:
        sure = all(r.measured for r in routes)
        return Verdict(code="in_step", listener=listener.id, sure=sure, as_of=_as_of(routes))
    delay, route = max(own, key=lambda x: x[0].value)
    return Verdict(
        code="own_sound", listener=listener.id, part=route.part, off_s=delay.value,
        plus_minus_s=delay.plus_minus, sure=route.measured, as_of=route.as_of,
    )  # fmt: skip
