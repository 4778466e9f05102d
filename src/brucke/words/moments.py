"""What a moment changes, for whom, before it is called up."""

from ..core.document.setup import Setup
from ..core.edits.moment_edits import passes_chains, stops_ducking
from ..core.routing.audibility import heard_now
from .timing import listener_name, part_name
from .translation import _

NO_CHANGE = _("Nobody would hear anything else.")


def changes_text(setup: Setup, before: str, after: str) -> str:
    """What would change for whom from one moment to another: who would no longer hear what, or hear it again, and who
    would wait otherwise."""
    said = []
    for x in setup.listeners:
        old, new = (heard_now(setup, m, frozenset(), x.id) for m in (before, after))
        less = [part_name(setup, p).lower() for p in old if p not in new]
        more = [part_name(setup, p).lower() for p in new if p not in old]
        name = listener_name(setup, x.id)
        if less:
            said.append(_("{listener} would no longer hear {parts}.").format(listener=name, parts=_together(less)))
        if more:
            said.append(_("{listener} would hear {parts} again.").format(listener=name, parts=_together(more)))
        said += _waits(setup, before, after, x.id, name)
        said += _levels(setup, before, after, x.id, name)
    said += _whole(setup, before, after)
    stands = [m is not None and m.pauses for m in (setup.moment(before), setup.moment(after))]
    if stands[0] != stands[1]:
        said.append(_("The song would stand still.") if stands[1] else _("The song would go on."))
    return " ".join(said) or NO_CHANGE


def _together(names: list[str]) -> str:
    return _(" and ").join(n for n in (", ".join(names[:-1]), *names[-1:]) if n)


def _whole(setup: Setup, before: str, after: str) -> list[str]:
    """What holds for everybody."""
    old, new = ((m, m is not None) for m in map(setup.moment, (before, after)))
    said = []
    for is_so, yes, no in (
        (passes_chains, _("Everything would be heard without its chain."), _("Chains would be heard again.")),
        (stops_ducking, _("Nothing would go down any more."), _("Ducking would work again.")),
    ):
        was, will = (there and moment is not None and is_so(moment) for moment, there in (old, new))
        if was != will:
            said.append(yes if will else no)
    moment = new[0]
    if moment is not None and moment.recording is not None:
        begins, ends = _("A take would be recorded from then on."), _("The take that is recorded would end.")
        said.append(begins if moment.recording else ends)
    if moment is not None and moment.crossfade_s:
        said.append(_("Levels would take {seconds:g} s.").format(seconds=moment.crossfade_s))
    return said


def _waits(setup: Setup, before: str, after: str, listener: str, name: str) -> list[str]:
    moments = map(setup.moment, (before, after))
    policies = [m.policy.get(listener, "in_step") if m is not None else "in_step" for m in moments]
    if policies[0] == policies[1]:
        return []
    if policies[1] == "in_step":
        return [_("{listener} would hear it in step.").format(listener=name)]
    return [_("{listener} would hear it at once, not in step.").format(listener=name)]


def _levels(setup: Setup, before: str, after: str, listener: str, name: str) -> list[str]:
    """Parts that are heard in both, and louder or softer in one."""
    said = []
    both = [heard_now(setup, m, frozenset(), listener) for m in (before, after)]
    for part in both[0]:
        if part not in both[1]:
            continue
        by = _gain(setup, after, part, listener) - _gain(setup, before, part, listener)
        louder, softer = (
            _("{part} would be {db:.0f} dB louder for {listener}."),
            _("{part} would be {db:.0f} dB softer for {listener}."),
        )
        if abs(by) >= 0.1:
            text = louder if by > 0 else softer
            said.append(text.format(part=part_name(setup, part), db=abs(by), listener=name))
    return said


def _gain(setup: Setup, moment: str, part: str, listener: str) -> float:
    route, found = setup.route(part, listener), setup.moment(moment)
    own = next((r.gain_db for r in found.routes if (r.part, r.listener) == (part, listener)), None) if found else None
    return own if own is not None else route.gain_db if route is not None else 0.0
