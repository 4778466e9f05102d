"""Verdicts, findings and stages as sentences: one fact, one sentence, wherever it stands. No screen here."""

from collections.abc import Sequence
from datetime import datetime

from ..core.document.setup import Setup
from ..core.findings import Finding, Verdict
from ..core.knowledge.evidence import Facts, Measurement
from ..core.timing.arrivals import ListenerTiming, RouteTiming, Timing, Unjudged
from ..core.timing.paths import Stage
from ..core.timing.verdicts import CALL_GOOD_S, CALL_LIMIT_S, OWN_SOUND_COMFORTABLE_S, OWN_SOUND_LIMIT_S
from .processors import PROCESSOR_NAMES
from .translation import _

MINUS = "−"


def counted(count: int, word: str) -> str:
    """“1 part”, “2 parts”."""
    return f"{count} {word}{'s' * (count != 1)}"


def ms_text(seconds: float, digits: int = 1) -> str:
    """“42.0 ms”, with a true minus sign."""
    value = f"{abs(seconds) * 1e3:.{digits}f}"
    sign = MINUS if seconds < 0 and float(value) else ""
    return f"{sign}{value} ms"


def plus_minus_text(seconds: float) -> str:
    """“± 0.3”, with as many digits as it deserves; nothing where there is no doubt."""
    value = seconds * 1e3
    if value < 1e-9:
        return ""
    if value < 0.01:
        return _("less than 0.01 ms")
    digits = 3 if value < 0.0995 else 2 if value < 0.995 else 1
    return f"± {value:.{digits}f}"


def db_text(db: float) -> str:
    return _("silent") if db <= -119.5 else f"{'+' if db > 0 else MINUS if db < -0.049 else ''}{abs(db):.1f} dB"


def part_name(setup: Setup, part: str) -> str:
    return next((p.name for p in setup.parts if p.id == part), part)


def listener_name(setup: Setup, listener: str) -> str:
    return next((x.name for x in setup.listeners if x.id == listener), listener)


def clock_text(seconds: float) -> str:
    """“3:50”."""
    return f"{int(seconds) // 60}:{int(seconds) % 60:02d}"


def device_name(setup: Setup, device: str) -> str:
    return next((d.name for d in setup.devices if d.id == device), device)


def moment_name(setup: Setup, moment: str) -> str:
    found = setup.moment(moment)
    return found.name if found is not None else moment


def route_name(setup: Setup, part: str, listener: str) -> str:
    return f"{part_name(setup, part)} → {listener_name(setup, listener)}"


def verdict_text(setup: Setup, v: Verdict) -> str:
    """The one short sentence of a listener."""
    name = part_name(setup, v.part).lower()
    amount = ms_text(abs(v.off_s))
    if v.on_purpose and v.code in ("early", "late"):
        return _("{amount} apart, on purpose: {moment}").format(amount=amount, moment=moment_name(setup, v.on_purpose))
    if v.at_limit:
        early = (
            _("{part} early {amount}, waits no longer")
            if v.code == "early"
            else _("{part} late {amount}, nobody waits longer")
        )
        return early.format(part=name, amount=amount)
    match v.code:
        case "in_step":
            return in_step_text(v.sure, v.as_of)
        case "early":
            return _("{part} early {amount}").format(part=name, amount=amount)
        case "late":
            return _("{part} late {amount}").format(part=name, amount=amount)
        case "own_sound":
            return _("own {part} {amount}").format(part=name, amount=amount)
        case "picture_first":
            return _("picture first by {amount}").format(amount=amount)
        case "nothing_routed":
            return _("hears nothing")
        case _:
            return _("{part} cannot be judged").format(part=name)


def in_step_text(sure: bool, as_of: str) -> str:
    """“in step” and how that is known: nothing that was only calculated, or not confirmed since, is simply in step."""
    if not sure:
        return _("in step, by calculation")
    return _("in step, as measured on {day}").format(day=day_text(as_of)) if as_of else _("in step")


def needs_you(v: Verdict) -> bool:
    """Whether this verdict asks the user to do something. What cannot be judged always does."""
    return v.code == "not_aligned" or (
        v.code in ("early", "late", "picture_first") and not v.least_delay and not v.at_limit
    )


def together_text(setup: Setup, timing: Timing) -> str:
    """One sentence for all listeners where none of them needs anything: the least certain speaks."""
    verdicts = [t.verdict for t in timing.listeners if t.verdict.code in ("in_step", "early", "late")]
    apart = next((v for v in verdicts if v.on_purpose and v.code != "in_step"), None)
    if apart is not None:
        return verdict_text(setup, apart)
    everywhere = [t.verdict for t in timing.listeners if t.verdict.code != "nothing_routed"]
    if not everywhere:
        return _("nobody hears anything")
    return in_step_text(all(v.sure for v in everywhere), min((v.as_of for v in everywhere if v.as_of), default=""))


def heard_text(setup: Setup, heard: Sequence[tuple[str, Sequence[str]]]) -> str:
    """“Lounge call and Shore stream hear harp, voice”: (listener, parts that reach it), alike ones together."""
    groups: dict[tuple[str, ...], list[str]] = {}
    for listener, parts in heard:
        if parts:
            groups.setdefault(tuple(parts), []).append(listener_name(setup, listener))
    said = []
    for parts, listeners in groups.items():
        names = ", ".join(part_name(setup, p).lower() for p in parts)
        who = _(" and ").join(listeners) if len(listeners) < 3 else ", ".join(listeners)
        said.append((_("{who} hears {names}") if len(listeners) == 1 else _("{who} hear {names}")).format(who=who, names=names))  # fmt: skip
    return "; ".join(said)


def verdict_detail(setup: Setup, t: ListenerTiming, facts: Facts) -> str:
    """What stands under the verdict of a listener: what it means there."""
    listener = setup.listener(t.listener)
    v = t.verdict
    if listener.kind == "monitor" and v.code == "own_sound":
        if v.off_s <= OWN_SOUND_COMFORTABLE_S:
            return _("comfortable")
        if v.off_s <= OWN_SOUND_LIMIT_S:
            return _("felt, still playable")
        return _("too late to play with; use direct monitoring")
    if listener.kind == "call":
        return _call_detail(setup, t)
    if listener.kind == "recorder":
        return _("every part its own track")
    return _("at their ears") if t.to_ears else _("at our own output")


def _call_detail(setup: Setup, t: ListenerTiming) -> str:
    device = setup.listener(t.listener).device
    way = 0.0
    added = 0.0
    for r in t.routes:
        if r.kind in ("lead", "follower"):
            way = max(way, sum(s.latency.value for s in r.stages if s.detail == device))
            added = max(added, r.delay_frames / setup.rate_hz)
    one_way = way + added
    amount = ms_text(one_way, 0)
    if one_way <= CALL_GOOD_S:
        return _("heard there after {amount}").format(amount=amount)
    if one_way <= CALL_LIMIT_S:
        return _("heard there after {amount}: talking over each other is felt").format(amount=amount)
    return _("heard there after {amount}: too late to talk freely").format(amount=amount)


def route_text(setup: Setup, r: RouteTiming | Unjudged) -> str:
    """What stands at the flag of one route."""
    if isinstance(r, Unjudged) or r.problem is not None:
        return _("cannot be judged")
    if r.kind == "far_end":
        return _("arrives at {amount}").format(amount=ms_text(r.arrival.value, 0))
    if r.off is None:
        return _("own sound {amount}").format(amount=ms_text(sum(s.latency.value for s in r.stages)))
    if r.in_step:
        return _("in step")
    word = _("early") if r.off.value < 0 else _("late")
    return f"{word} {abs(r.off.value) * 1e3:.1f}"


def hearing_text(setup: Setup, part: str) -> str:
    """What a part waits for before it sounds."""
    p = setup.part(part)
    if p.kind == "lead":
        return _("sets the beat")
    if p.kind == "follower" and p.follows:
        return _("hears the {lead}").format(lead=part_name(setup, p.follows).lower())
    if p.kind == "picture" and p.shows:
        return _("shows the {part}").format(part=part_name(setup, p.shows).lower())
    if p.kind == "far_end":
        return _("answers the call")
    return ""


KIND_WORDS = {
    "lead": _("sets the beat"),
    "follower": _("plays along"),
    "far_end": _("far end"),
    "picture": _("picture"),
}


def stage_text(setup: Setup, s: Stage) -> str:
    match s.code:
        case "capture":
            return _("{device} in").format(device=device_name(setup, s.detail))
        case "output":
            return _("{device} out").format(device=device_name(setup, s.detail))
        case "player":
            return _("player")
        case "hand-over":
            return _("into {device}").format(device=device_name(setup, s.detail))
        case "matching":
            return _("{device}, its clock matched").format(device=device_name(setup, s.detail))
        case "way there":
            return _("way there")
        case "way back":
            return _("way back")
        case "camera":
            return _("camera")
        case "picture coder":
            return _("picture coder")
        case "air":
            return _("air")
        case "processor":
            return PROCESSOR_NAMES[s.detail]
        case _:
            return s.detail


# What is measured, by its code.
QUANTITIES = {"round_trip": _("round trip"), "picture": _("picture"), "camera": _("camera")}

SHORT_STAGES = {
    "capture": _("in"),
    "output": _("out"),
    "player": _("player"),
    "hand-over": _("into it"),
    "matching": _("clock"),
    "way there": _("way there"),
    "way back": _("way back"),
    "camera": _("camera"),
    "picture coder": _("coder"),
    "air": _("air"),
}


def evidence_text(s: Stage) -> str:
    """How the latency of a stage is known; what is unconfirmed is never simply called measured."""
    if s.evidence == "unconfirmed":
        return _("as measured on {day}").format(day=day_text(s.date))
    return {"measured": _("measured"), "calculated": _("calculated"), "entered": _("entered")}[s.evidence]


def stage_short(s: Stage) -> str:
    """A stage in one or two words, for the ruler."""
    return SHORT_STAGES.get(s.code, PROCESSOR_NAMES.get(s.detail, s.detail))


def finding_text(setup: Setup, f: Finding) -> str:
    name = part_name(setup, f.part)
    match f.code:
        case "cycle":
            ring = " → ".join(part_name(setup, x) for x in str(f.values["ring"]).split(" → "))
            return _("{ring} wait for each other in a circle. Let one of them follow the lead instead.").format(
                ring=ring
            )
        case "lead_not_heard":
            return _("{part} follows the {lead}, but {place} does not carry it. Switch that route on.").format(
                part=name, lead=part_name(setup, str(f.values["lead"])).lower(), place=listener_name(setup, f.listener)
            )
        case "does_not_hear_itself":
            return _(
                "{part} is heard by its player only in {place}, but is not routed there. Switch that route on."
            ).format(part=name, place=listener_name(setup, f.listener))
        case "delay_too_long":
            return _("{part} would need {amount} of delay at {place}; 2 s is the most.").format(
                part=name, amount=ms_text(float(f.values["ms"]) / 1e3, 0), place=listener_name(setup, f.listener)
            )
        case _:
            return f.code


def hand_off_text(t: ListenerTiming) -> tuple[str, str]:
    """(value, note) of the picture's delay to set in the other program."""
    if t.hand_off_s < 0.5e-3:
        return "+0 ms", _("all delay is set here")
    return f"+{t.hand_off_s * 1e3:.0f} ms", _("delay the picture there")


def measurement_text(m: Measurement) -> str:
    return _("{good} of {all} {method} agree within {spread}").format(
        good=m.agreeing, all=m.repeats, method=m.method, spread=f"{max(m.plus_minus_s * 1e3, 0.01):.2g} ms"
    )


def measured_text(m: Measurement, unconfirmed: bool) -> str:
    """When it was measured, and whether that was confirmed since."""
    if unconfirmed:
        return _("as measured on {day}, not confirmed since").format(day=day_text(m.date))
    if m.confirmed:
        return _("measured {then}, confirmed {date}").format(then=day_text(m.date), date=date_text(m.confirmed))
    return _("measured {date}").format(date=date_text(m.date))


MEASURE_REFUSALS = {
    "silence": _("nothing came back. Is the cable plugged, or the headphone held to the microphone, and the input turned up?"),
    "clipped": _("the input clips. Turn the microphone's knob down, or measure at a lower level."),
    "no_match": _("no match: what came back is not the measuring sound. Check the cable and the level, and keep the room quiet."),
    "two_arrivals": _("two arrivals of the same strength, {second_ms:.1f} ms apart. Is direct monitoring left on? Switch it off."),
    "disagree": _("the repeats disagree by {spread_frames:.1f} frames. Something in between changes its latency; close other programs and measure again."),
    "lost": _("{lost:.0f} blocks were lost in the middle, again and again. Something keeps this computer too busy; end it, or take larger buffers."),
    "on_air": _("you are on air. Nothing is measured while others listen; close them first."),
    "cancelled": _("stopped. Nothing was kept."),
    "no_capture": _("no part comes in on this interface, so there is nothing to measure with."),
    "engine": _("the engine stopped in the middle. Start again."),
    "not_running": _("nothing is running yet. Start first (F5)."),
}  # fmt: skip


def refusal_text(code: str, values: dict[str, float]) -> str:
    return _("Not measured: ") + MEASURE_REFUSALS[code].format(**values)


def day_text(date: str) -> str:
    """“24 Nov”"""
    at = datetime.fromisoformat(date)
    return f"{at.day} {at.strftime('%b')}"


def date_text(date: str) -> str:
    """“today 19:42”, or “24 November, 19:42”."""
    at = datetime.fromisoformat(date)
    if at.date() == datetime.now(at.tzinfo).date():
        return _("today {time}").format(time=at.strftime("%H:%M"))
    return f"{at.day} {at.strftime('%B, %H:%M')}"
