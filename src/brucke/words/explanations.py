"""Why a route arrives when it does, how sure that is, and what helps, as sentences."""

from ..core.document.setup import Setup
from ..core.timing.arrivals import ListenerTiming, RouteTiming, Unjudged
from ..core.timing.verdicts import wide
from .detail import choose, in_numbers
from .timing import day_text, finding_text, moment_name, ms_text, part_name, plus_minus_text
from .translation import _


def sureness_text(r: RouteTiming) -> str:
    """How sure one is how far off a route is; what is off by a delay of our own alone is so exactly."""
    if r.off is None or not in_numbers():
        return ""
    return plus_minus_text(r.off.plus_minus) or (_("exactly") if not r.in_step else "")


def route_text(setup: Setup, r: RouteTiming | Unjudged) -> str:
    """What stands at the flag of one route."""
    if isinstance(r, Unjudged) or r.problem is not None or r.unknown:
        return _no_judgement(r)
    if r.kind == "far_end":
        return _("arrives at {amount}").format(amount=ms_text(r.arrival.value, 0))
    if r.off is None:
        return _("own sound {amount}").format(amount=ms_text(sum(s.latency.value for s in r.stages)))
    if r.in_step:
        return _in_step_text(r)
    word = _("early") if r.off.value < 0 else _("late")
    return f"{word} {abs(r.off.value) * 1e3:.1f}"


def _no_judgement(r: RouteTiming | Unjudged) -> str:
    if isinstance(r, Unjudged) or r.problem is not None:
        return _("cannot be judged")
    return _("not measured") if r.kind == "picture" else _("way not known")


def _in_step_text(r: RouteTiming) -> str:
    """No surer than the listener's own sentence, in fewer words."""
    assert r.off is not None
    if not r.measured:
        return _("should be together")
    if wide(r.off, r.kind):
        said = choose(_("in step to within {pm}"), _("in step, ± {pm}"))
        return said.format(pm=ms_text(r.off.plus_minus, 0))
    return _("in step on {day}").format(day=day_text(r.as_of)) if r.as_of else _("in step")


def route_headline(setup: Setup, r: RouteTiming) -> str:
    if r.problem is not None or r.unknown:
        return _no_judgement(r)
    if r.kind == "far_end":
        return _("{amount} on the way").format(amount=ms_text(r.arrival.value, 0))
    if r.off is None:
        return _("own sound")
    if r.in_step:
        return _in_step_text(r)
    word = _("early") if r.off.value < 0 else _("late")
    return f"{ms_text(abs(r.off.value))} {word}"


def route_reason(setup: Setup, t: ListenerTiming, r: RouteTiming) -> str:
    """Why a route arrives when it does, and what helps."""
    part = setup.part(r.part)
    name = part.name
    if r.problem is not None:
        return finding_text(setup, r.problem)
    if r.unknown and r.kind == "picture":
        return _(
            "What the program there does with the picture was never measured, so no sound waits for it. Film the "
            "stream, or clap in a take."
        )
    if r.unknown:
        return _("It comes back over a way of which nothing is known. It is set in step in a take, not live.")
    if t.least_delay and r.off is not None and not r.in_step:
        return _("Nothing is delayed here on purpose: {moment} asks for the least delay.").format(
            moment=moment_name(setup, t.verdict.on_purpose)
        )
    if t.verdict.at_limit and r.off is not None and not r.in_step and r.kind != "picture":
        most = ms_text(setup.listener(t.listener).wait_at_most_ms / 1e3, 0)
        return _("No sound waits longer than {most} here, as you asked. This is as near as they come.").format(
            most=most
        )
    if r.kind == "far_end":
        return _(
            "It answers what it hears there, so it crosses the network twice. It is set in step in a take, not live."
        )
    if r.off is None:
        own = sum(s.latency.value for s in r.stages)
        return _("{part} reaches the player's own ear {amount} after it is made. It is never delayed here.").format(
            part=name, amount=ms_text(own)
        )
    if r.in_step:
        if r.delay_frames:
            return _("Its delay of {amount} makes it wait for the slowest.").format(
                amount=ms_text(r.delay_frames / setup.rate_hz)
            )
        return _("It needs no delay.")
    if r.off.value < 0 and r.kind == "picture":
        return _(
            "The picture is here before the sound, and sound cannot be hurried. Delay the picture in the other program."
        )
    if r.off.value < 0:
        slowest = max(
            (x for x in t.routes if x.kind != "far_end" and not x.unknown),
            key=lambda x: x.arrival.value - x.delay_frames / setup.rate_hz,
        )
        if slowest.kind == "picture":
            return _("The picture is the slowest here. Delay the {part} and lips and sound meet again.").format(
                part=name.lower()
            )
        return _("{slowest} is the slowest here. Delay the {part} and they meet again.").format(
            slowest=part_name(setup, slowest.part), part=name.lower()
        )
    return _("It is delayed by {amount}, more than it needs.").format(amount=ms_text(r.delay_frames / setup.rate_hz))
