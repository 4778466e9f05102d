"""Verdicts, findings and stages as sentences: one fact, one sentence, wherever it stands. No screen here."""

from collections.abc import Sequence
from datetime import datetime

from ..core.document.setup import Setup
from ..core.findings import Finding, Verdict
from ..core.knowledge.evidence import Facts, Measurement
from ..core.knowledge.quantities import QUANTITIES
from ..core.timing.arrivals import ListenerTiming, RouteTiming, Timing
from ..core.timing.paths import Stage
from ..core.timing.verdicts import CALL_GOOD_S, CALL_LIMIT_S, OWN_SOUND_COMFORTABLE_S, OWN_SOUND_LIMIT_S
from ..core.units import db_to_gain
from .detail import choose, in_numbers
from .processors import PROCESSOR_NAMES
from .translation import _

MINUS = "−"
SILENT_DB = -119.5


def counted(count: int, word: str) -> str:
    """“1 part”, “2 parts”."""
    return f"{count} {word}{'s' * (count != 1)}"


def ms_text(seconds: float, digits: int = 1) -> str:
    """“42.0 ms”, with a true minus sign."""
    value = f"{abs(seconds) * 1e3:.{digits}f}"
    sign = MINUS if seconds < 0 and float(value) else ""
    return f"{sign}{value} ms"


def plus_minus_text(seconds: float) -> str:
    """“± 0.3”, with as many digits as it deserves; nothing where there is no doubt, or where it is said plainly."""
    value = seconds * 1e3
    if value < 1e-9 or not in_numbers():
        return ""
    if value < 0.01:
        return _("less than 0.01 ms")
    digits = 3 if value < 0.0995 else 2 if value < 0.995 else 1
    return f"± {value:.{digits}f}"


def about_text(seconds: float, plus_minus_s: float) -> str:
    """An amount plainly, no surer than it is known: “about 72 ms”, or “38 to 106 ms”."""
    value = abs(seconds)
    if plus_minus_s <= max(1e-3, 0.1 * value):
        return _("about {ms}").format(ms=ms_text(value, 0 if value >= 0.00995 else 1))
    low, high = max(0.0, value - plus_minus_s), value + plus_minus_s
    return _("{low} to {high}").format(low=f"{low * 1e3:.0f}", high=ms_text(high, 0))


def percent_text(db: float) -> str:
    """A gain or a level in dB as a share of the amplitude: “71 %” for −3 dB."""
    share = 100 * float(db_to_gain(db))
    return f"{share:.0f} %" if share >= 0.95 else f"{share:.1f} %"


def db_text(db: float) -> str:
    """“−3.0 dB”; plainly, the share of the amplitude: “71 %”."""
    if db <= SILENT_DB:
        return _("silent")
    return choose(percent_text(db), f"{'+' if db > 0 else MINUS if db < -0.049 else ''}{abs(db):.1f} dB")


def dbfs_text(db: float) -> str:
    """Of digital full scale."""
    return db_text(db) if db <= SILENT_DB else choose(db_text(db), f"{db_text(db)}FS")


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
        return _("{moment}: the quickest way").format(moment=moment_name(setup, v.on_purpose))
    if v.at_limit:
        early = (
            _("{part} early {amount}, waits no longer")
            if v.code == "early"
            else _("{part} late {amount}, nobody waits longer")
        )
        return early.format(part=name, amount=amount)
    match v.code:
        case "in_step" if v.picture_unknown:
            return _("sounds in step, picture unknown")
        case "in_step":
            return in_step_text(v.sure, v.as_of, v.plus_minus_s if v.wide else 0.0)
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


def in_step_text(sure: bool, as_of: str, wide_s: float = 0.0) -> str:
    """“in step” and how that is known: nothing that was only calculated, not confirmed since, or known only within ±
    `wide_s`, is simply in step."""
    if wide_s:
        said = choose(_("in step to within {pm}"), _("in step, as far as ± {pm} can tell"))
        return said.format(pm=ms_text(wide_s, 0))
    if not sure:
        return _("should be together, not tested")
    return _("in step, as measured on {day}").format(day=day_text(as_of)) if as_of else _("in step")


def delay_text(setup: Setup, r: RouteTiming) -> str:
    """What a button says that puts one route in step: what is added to what it has."""
    amount = ms_text((r.align_delay_frames - r.delay_frames) / setup.rate_hz)
    return (_("Delay {amount} more") if r.delay_frames else _("Delay {amount}")).format(amount=amount)


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
    if any(v.picture_unknown for v in everywhere):
        return _("picture unknown")
    wide_s = max((v.plus_minus_s for v in everywhere if v.wide), default=0.0)
    return in_step_text(
        all(v.sure for v in everywhere), min((v.as_of for v in everywhere if v.as_of), default=""), wide_s
    )


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
        said.append((_("{who} hears {names}") if len(listeners) == 1 else _("{who} hear {names}")).format(who=who,
            names=names))  # fmt: skip
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
    if not t.to_ears:
        return _("leaves here after {amount}; the way there is not known").format(amount=amount)
    if one_way <= CALL_GOOD_S:
        return _("heard there after {amount}").format(amount=amount)
    if one_way <= CALL_LIMIT_S:
        return _("heard there after {amount}: talking over each other is felt").format(amount=amount)
    return _("heard there after {amount}: too late to talk freely").format(amount=amount)


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
        case "network":
            return _("network, {device}").format(device=device_name(setup, s.detail))
        case "there":
            ours = {d.id for d in setup.devices}
            return _("at {device}").format(device=device_name(setup, s.detail)) if s.detail in ours else s.detail
        case "way there":
            return _("way there")
        case "way back":
            return _("way back")
        case "camera":
            return _("camera")
        case "picture coder":
            return _("picture coder")
        case "picture set there" | "sound set there":
            return _("set in {device}").format(device=listener_name(setup, s.detail))
        case "air":
            return _("air")
        case "processor":
            return PROCESSOR_NAMES[s.detail]
        case "outside step":
            return s.detail or PROCESSOR_NAMES["outside_step"]
        case _:
            return s.detail


# What is measured, by its code.
QUANTITY_NAMES = {q.code: _(q.name) for q in QUANTITIES}

SHORT_STAGES = {
    "capture": _("in"),
    "output": _("out"),
    "player": _("player"),
    "hand-over": _("into it"),
    "matching": _("clock"),
    "network": _("network"),
    "there": _("there"),
    "way there": _("way there"),
    "way back": _("way back"),
    "camera": _("camera"),
    "picture coder": _("coder"),
    "air": _("air"),
    "picture set there": _("set there"),
    "sound set there": _("set there"),
}


def evidence_text(s: Stage) -> str:
    """How the latency of a stage is known; what is unconfirmed is never simply called measured."""
    if s.evidence == "unconfirmed":
        return _("as measured on {day}").format(day=day_text(s.date)) if s.date else _("not confirmed")
    return {
        "measured": _("measured"),
        "calculated": _("calculated"),
        "reported": _("as it reports"),
        "entered": _("entered"),
        "unknown": _("not known"),
    }[s.evidence]


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


def hand_off_text(t: ListenerTiming, there_ms: float = 0.0) -> tuple[str, str]:
    """(value, note) of what the picture has to wait more in the other program than the `there_ms` that are set
    there."""
    if t.picture_unknown:
        return _("not known"), _("a film tells it")
    if t.hand_off_s < 0.5e-3:
        set_there = _("nothing more: {ms} are set there").format(ms=ms_text(there_ms / 1e3, 0))
        return "+0 ms", set_there if there_ms else _("all delay is set here")
    if there_ms:
        return f"+{t.hand_off_s * 1e3:.0f} ms", _("more than the {ms} that are set there").format(
            ms=ms_text(there_ms / 1e3, 0)
        )
    return f"+{t.hand_off_s * 1e3:.0f} ms", _("delay the picture there")


def measurement_text(m: Measurement) -> str:
    said = choose(_("Tried {all} times, {good} agree"), _("{good} of {all} {method} agree within {spread}"))
    return said.format(
        good=m.agreeing, all=m.repeats, method=m.method, spread=f"{max(m.plus_minus_s * 1e3, 0.01):.2g} ms"
    )


def measured_text(m: Measurement, unconfirmed: bool) -> str:
    """When it was measured, and whether that was confirmed since."""
    if unconfirmed:
        return _("as measured {date}; test it again, something was dropped or restarted since").format(
            date=date_text(m.date)
        )
    if m.confirmed:
        return _("measured {then}, tested again {date}").format(then=day_text(m.date), date=date_text(m.confirmed))
    return _("measured {date}").format(date=date_text(m.date))


def ended_text(contradicted: bool) -> str:
    """Why what was measured counts no longer."""
    if contradicted:
        return _("Counts no longer: a sweep found another one since. Measure again.")
    return _("No longer counts: what it depends on has changed. Measure again.")


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
