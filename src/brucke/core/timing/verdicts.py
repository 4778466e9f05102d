"""One verdict per listener: its worst route, or the performer's own sound at a monitor."""

import math
from typing import TYPE_CHECKING

from ..findings import Finding, Verdict
from ..setup import Listener
from .origins import own_sound
from .paths import Situation

if TYPE_CHECKING:
    from .align import RouteTiming

# Closer than this two sounds are called in step: common practice, no source.
IN_STEP_S = 1e-3
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


def delay_impairment(one_way_s: float) -> float:
    """Idd of ITU-T G.107 (formula from memory): 0 up to 100 ms, then growing; Ta in seconds here."""
    ta = one_way_s * 1e3
    if ta <= 100:
        return 0.0
    x = math.log2(ta / 100)
    return float(25 * ((1 + x**6) ** (1 / 6) - 3 * (1 + (x / 3) ** 6) ** (1 / 6) + 2))


def _tolerance(route: "RouteTiming", known: Situation) -> float:
    if route.kind == "picture":
        return 0.5 / known.setup.device(known.setup.part(route.part).device).pictures_per_s
    return IN_STEP_S


def listener_verdict(
    known: Situation, listener: Listener, routes: "list[RouteTiming]", findings: list[Finding], least: bool
) -> Verdict:
    if not routes:
        return Verdict(code="nothing_routed", listener=listener.id)
    if findings:
        return Verdict(code="not_aligned", listener=listener.id, part=findings[0].part)
    if listener.kind == "monitor":
        return _monitor_verdict(known, listener, routes)
    judged = [(abs(r.off.value) - _tolerance(r, known), r) for r in routes if r.off is not None]
    sure = all(r.measured for _, r in judged)
    picture = next((r for over, r in judged if r.kind == "picture" and over > 0), None)
    sounds_off = [(over, r) for over, r in judged if r.kind != "picture" and over > 0]
    if sounds_off:
        route = max(sounds_off, key=lambda x: (x[1].kind == "follower", x[0]))[1]
        assert route.off is not None
        return Verdict(
            code="early" if route.off.value < 0 else "late", listener=listener.id, part=route.part,
            off_s=route.off.value, plus_minus_s=route.off.plus_minus, sure=sure, least_delay=least,
        )  # fmt: skip
    if picture is not None and picture.off is not None:
        return Verdict(
            code="picture_first", listener=listener.id, part=picture.part, off_s=picture.off.value,
            plus_minus_s=picture.off.plus_minus, sure=sure, least_delay=least,
        )  # fmt: skip
    widest = max((r.off.plus_minus for _, r in judged if r.off is not None), default=0.0)
    return Verdict(code="in_step", listener=listener.id, plus_minus_s=widest, sure=sure, least_delay=least)


def _monitor_verdict(known: Situation, listener: Listener, routes: "list[RouteTiming]") -> Verdict:
    own = [
        (delay, r)
        for r in routes
        if r.kind == "follower" and (delay := own_sound(known, known.setup.part(r.part), listener)) is not None
    ]
    if not own:
        return Verdict(code="in_step", listener=listener.id, sure=all(r.measured for r in routes))
    delay, route = max(own, key=lambda x: x[0].value)
    return Verdict(
        code="own_sound", listener=listener.id, part=route.part, off_s=delay.value,
        plus_minus_s=delay.plus_minus, sure=route.measured,
    )  # fmt: skip
