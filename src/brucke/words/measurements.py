"""Sentences about what was measured between two recordings: drift, voice against music, what a path does to sound."""

from collections.abc import Sequence

from ..core.document.setup import Setup
from ..core.measure.candidates import Candidate
from ..core.measure.clean_path import Found, PathReport
from ..core.measure.drift import START_SEARCH_S, Drift
from ..core.measure.offset import Offset
from ..core.measure.phrases import SEARCH_S, PhraseOffsets
from .detail import choose, in_numbers
from .timing import MINUS, about_text, listener_name, ms_text, part_name
from .translation import _

HOUR_S = 3600.0
NOT_FOUND = {
    "too_short": _("too short to tell"),
    "silent": _("silent, nothing to compare"),
    "no_match": _("they have nothing in common"),
    "noisy": _("the path adds so much noise that nothing can be told"),
    "unsure": _("they hang together so loosely that no drift can be told"),
}
SHORTER_THAN = _("shorter than {s} s, too little to be sure")
MOST_RIVALS = 3


def within_text(reason: str, reach_s: float, period_s: float = 0.0) -> str:
    """Why no offset is told, of what was looked for within ± so much."""
    match reason:
        case "repeats":
            return _(
                "it repeats itself every {period}, and nobody could tell one round from another; play something that "
                "does not"
            ).format(period=ms_text(period_s, 0))
        case "ambiguous":
            return _("more than one is as likely")
        case "edge":
            return _(
                "what is found stands at the edge of what was looked through, {reach} s either way; look farther"
            ).format(reach=f"{reach_s:g}")
        case _:
            return _("nothing in common within {reach} s either way").format(reach=f"{reach_s:g}")


def rivals_text(rivals: Sequence[Candidate], first: str) -> str:
    """“it may as well be 300.0 ms (91 %) or −200.0 ms (40 %)”; empty without any. `first` begins it."""
    if not rivals:
        return ""
    each = [f"{ms_text(r.value)} ({r.weight:.0%})" for r in rivals[:MOST_RIVALS]]
    return f"{first} {_(' or ').join(each)}"


def lateness_lines(recording: str, reference: str, found: Offset) -> list[str]:
    """What `offset` says."""
    if not found.match:
        why = within_text(found.reason, found.search_s[1], found.repeats_s)
        return [f"{recording} and {reference}: {why}", *_indented(rivals_text(found.rivals, _("it may be")))]
    way = _("later than") if found.frames >= 0 else _("earlier than")
    said = choose(
        _("{recording} is {about} {way} {reference}"),
        _("{recording} is {amount} {way} {reference}, ± {pm} ({votes} of {of} stretches agree)"),
    )
    lines = [
        said.format(
            recording=recording, about=about_text(found.seconds, found.plus_minus_s),
            amount=ms_text(abs(found.seconds), 3), way=way, reference=reference, pm=ms_text(found.plus_minus_s, 2),
            votes=found.votes, of=found.voters
        )
    ]  # fmt: skip
    if found.polarity < 0:
        lines.append(choose(_("  it is upside down"), _("  it is upside down: its polarity is reversed")))
    if found.drifts:
        lines.append(
            _("  that is at the beginning; it slides: {ppm}").format(
                ppm=ppm_text(found.drift_ppm, found.drift_ppm_error)
            )
        )
    if found.jumps_at_s is not None:
        lines.append(
            _("  it jumps at about {at}; from there on it is {amount}").format(
                at=f"{found.jumps_at_s:.1f} s", amount=ms_text(found.rivals[0].value, 3)
            )
        )
        return lines
    return lines + _indented(rivals_text(found.rivals, _("also to be found, weaker:")))


def _indented(text: str) -> list[str]:
    return [f"  {text}"] if text else []


def ppm_text(ppm: float, error: float) -> str:
    """“+12.3 ± 0.2 ppm”; plainly, that two clocks run apart."""
    if not in_numbers():
        return _("two clocks run apart")
    sign = MINUS if ppm < 0 else "+"
    return f"{sign}{abs(ppm):.2f} ± {error:.2f} ppm"


def drift_lines(recording: str, reference: str, found: Drift) -> list[str]:
    if not found.match:
        known = found.reason in NOT_FOUND and found.reason != "no_match"
        why = NOT_FOUND[found.reason] if known else within_text(found.reason, START_SEARCH_S)
        return [f"{recording} and {reference}: {why}"]
    hour = found.after_s(HOUR_S)
    if abs(found.ppm) <= found.ppm_error:
        said = _("no drift that could be told from none")
    else:
        way = _("late") if hour > 0 else _("early")
        said = _("after an hour {amount} {way}").format(amount=ms_text(abs(hour), 0), way=way)
    lines = [f"{recording}: {said} ({ppm_text(found.ppm, found.ppm_error)}); {ms_text(found.start_s, 2)} at the start"]
    lines += [
        _("  a step of {amount} at {at}").format(amount=ms_text(s.seconds, 2), at=f"{s.at_s:.1f} s")
        for s in found.steps
    ]
    if found.polarity < 0:
        lines.append(choose(_("  it is upside down"), _("  it is upside down: its polarity is reversed")))
    if found.period_s:
        lines.append(
            _("  it repeats itself every {period}: at the start it may as well be {amount}").format(
                period=ms_text(found.period_s, 0), amount=ms_text(found.rivals[-1].value)
            )
        )
    if found.hunts:
        lines.append(
            _("  its buffer hunts: it swings by {amount} around the line").format(amount=ms_text(found.scatter_s, 2))
        )
    return lines


def watched_name(setup: Setup, sent: str, heard: str) -> str:
    """“Lounge call, again in Lounge”: of “listeners/ID” or “parts/ID”, and of “parts/ID”."""
    kind, _slash, id = sent.partition("/")
    name = listener_name(setup, id) if kind == "listeners" else part_name(setup, id)
    return _("{sent}, again in {heard}").format(sent=name, heard=part_name(setup, heard.partition("/")[2]))


def stepped_text(setup: Setup, sent: str, heard: str, seconds: float) -> str:
    """A jump that was seen while it played."""
    way = _("later") if seconds > 0 else _("sooner")
    return _("{name}: {amount} {way} than before. Something was restarted, or lost its place; measure again.").format(
        name=watched_name(setup, sent, heard), amount=ms_text(abs(seconds)), way=way
    )


def slid_text(setup: Setup, sent: str, heard: str, seconds: float) -> str:
    """Two clocks that have come apart by so much since it was measured."""
    way = _("later") if seconds > 0 else _("sooner")
    return _("{name}: it has slid by {amount}, and comes {way} by the minute: two clocks run apart there. Test the "
             "round trip again between two songs.").format(
        name=watched_name(setup, sent, heard), amount=ms_text(abs(seconds), 0), way=way
    )  # fmt: skip


def watched_text(setup: Setup, sent: str, heard: str, seen: int, looks: int, lag_s: float, drift: Drift | None) -> str:
    """What the music itself tells of one way, `seen` of so many looks, the last time after `lag_s`."""
    name = watched_name(setup, sent, heard)
    if not seen:
        return _("{name}: not found yet, after {looks} looks").format(name=name, looks=looks)
    if drift is None:
        return _("{name}: {lag} later; more looks are needed to tell whether it slides").format(name=name,
            lag=ms_text(lag_s, 2))  # fmt: skip
    if abs(drift.ppm) <= drift.ppm_error:
        slides = _("no drift that could be told from none")
    else:
        hour = drift.after_s(HOUR_S)
        slides = _("after an hour {amount} {way}").format(amount=ms_text(abs(hour), 0),
            way=_("later") if hour > 0 else _(
            "sooner"))  # fmt: skip
    steps = (
        _(", {n} jumps").format(n=len(drift.steps)) if len(drift.steps) > 1 else _(", one jump") if drift.steps else ""
    )
    return _("{name}: {lag} later, {slides} ({ppm}){steps}").format(
        name=name, lag=ms_text(lag_s, 2), slides=slides, ppm=ppm_text(drift.ppm, drift.ppm_error), steps=steps
    )


def offset_lines(voice: str, music: str, found: PhraseOffsets) -> list[str]:
    if not found.match:
        if found.reason in NOT_FOUND and found.reason != "no_match":
            return [f"{voice} and {music}: {NOT_FOUND[found.reason]}"]
        why = within_text(found.reason, SEARCH_S)
        return [f"{voice} and {music}: {why}", *_indented(rivals_text(found.rivals, _("it may be")))]
    way = _("later than") if found.seconds >= 0 else _("earlier than")
    said = choose(
        _("{voice} is {about} {way} {music}, over {count} of {of} phrases"),
        _("{voice} is {amount} {way} {music}, ± {pm}, over {count} of {of} phrases"),
    )
    lines = [
        said.format(
            voice=voice, about=about_text(found.seconds, found.plus_minus_s), amount=ms_text(abs(found.seconds)),
            way=way, music=music, pm=ms_text(found.plus_minus_s), count=found.phrases, of=found.of
        ),
        _("  the phrases scatter by {scatter}: that is the singer; what is the same in all of them is the path").format(
            scatter=ms_text(found.scatter_s)),
    ]  # fmt: skip
    if found.rivals:
        nearest = sorted(found.rivals, key=lambda r: abs(r.value - found.seconds))
        lines += _indented(rivals_text(nearest, _("the beats are even: it may as well be")))
    if found.slides:
        lines.append(_("  it slides: {amount} a minute").format(amount=ms_text(found.trend * 60)))
    return lines


def found_text(found: Found) -> str:
    """What is done to the sound on the way, and what to look for in the other program."""
    db = choose("", f" ({found.how_much:.0f} dB)")
    match found.what:
        case "echo_removal":
            return _(
                "something rebuilds the sound, as echo removal does: look for echo cancellation, or for a switch for "
                "music or original sound"
            )
        case "noise_removal":
            return _("steady noise is taken out{db}: look for noise suppression, or voice isolation").format(db=db)
        case "gate":
            return _("what is soft is shut off{db}: look for a noise gate, or for the microphone's sensitivity").format(
                db=db
            )
        case "levelling":
            return _(
                "loud and soft are made alike{db}: look for automatic gain, or automatic microphone volume"
            ).format(db=choose("", f" (by {found.how_much:.1f} dB)"))
        case "filter":
            return _(
                "some frequencies are louder than others{db}: look for an equaliser, a low cut or a voice filter"
            ).format(db=choose("", f" (by {found.how_much:.0f} dB)"))
        case "dead_side":
            return _("one side comes back silent: look for a cable, a balance, or a channel that is switched off")
        case "echo":
            return _(
                "it comes back twice, {ms} apart: look for a second way, or for something that is heard again"
            ).format(ms=ms_text(found.how_much, 0))
        case "room":
            return _("it comes back as from a room: a loudspeaker and a microphone are in the way")
        case "noise":
            return _("steady noise comes along{db}").format(db=choose("", f" ({found.how_much:.0f} dBFS)"))
        case "opposite":
            return _("its two sides are opposite, and cancel each other where they come together: one is upside down")
        case "inverted":
            return choose(_("it comes back upside down"), _("it comes back upside down: its polarity is reversed"))
        case "band_edge":
            said = choose(_("the brightest sounds do not come back"), _("nothing above {hz} Hz comes back"))
            return _("{said}: that is the coder's; look for a higher sound quality").format(
                said=said.format(hz=f"{found.how_much:.0f}")
            )
        case _ if found.certain:
            return _("both sides come back as one: look for stereo")
        case _:
            return _("both sides come back as one: folded, perhaps by the coder")


NOT_JUDGED = {
    "echo": _("echo and its removal: the delay of the path wandered all the time"),
    "noise_or_gate": _("noise removal and gates: this sound holds no soft parts, or no steady noise alone"),
    "levelling": _("levelling: this sound is everywhere as loud"),
}
VERDICTS = {
    "clean": _("the path is clean"),
    "changed": _("the path changes the sound"),
    "unsure": _("not sure whether the path is clean"),
}


def clean_lines(returned: str, report: PathReport) -> list[str]:
    if report.reason:
        return [f"{returned}: {VERDICTS['unsure']}: {NOT_FOUND[report.reason]}"]
    lines = [f"{returned}: {VERDICTS[report.verdict]}; it takes {ms_text(report.delay_s)}"]
    lines += [f"  {found_text(f)}" for f in report.found]
    lines += [_("  not judged: {what}").format(what=NOT_JUDGED[x]) for x in report.not_judged]
    return lines
