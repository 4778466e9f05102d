"""Sentences about what was measured between two recordings: drift, voice against music, what a path does to sound."""

from ..core.document.setup import Setup
from ..core.measure.clean_path import Found, PathReport
from ..core.measure.drift import Drift
from ..core.measure.phrases import PhraseOffsets
from .timing import MINUS, listener_name, ms_text, part_name
from .translation import _

HOUR_S = 3600.0
NOT_FOUND = {
    "too_short": _("too short to tell"),
    "silent": _("silent, nothing to compare"),
    "no_match": _("they have nothing in common"),
    "noisy": _("the path adds so much noise that nothing can be told"),
}


def ppm_text(ppm: float, error: float) -> str:
    """“+12.3 ± 0.2 ppm”."""
    sign = MINUS if ppm < 0 else "+"
    return f"{sign}{abs(ppm):.2f} ± {error:.2f} ppm"


def drift_lines(recording: str, reference: str, found: Drift) -> list[str]:
    if not found.match:
        return [f"{recording} and {reference}: {NOT_FOUND[found.reason]}"]
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
    """Two clocks that have come apart by so much while it played."""
    way = _("later") if seconds > 0 else _("sooner")
    return _("{name}: it has slid by {amount}, and comes {way} by the minute. Two clocks run apart there (Shift+K).").format(
        name=watched_name(setup, sent, heard), amount=ms_text(abs(seconds), 0), way=way
    )  # fmt: skip


def watched_text(setup: Setup, sent: str, heard: str, seen: int, looks: int, lag_s: float, drift: Drift | None) -> str:
    """What the music itself tells of one way, `seen` of so many looks, the last time after `lag_s`."""
    name = watched_name(setup, sent, heard)
    if not seen:
        return _("{name}: not found yet, after {looks} looks").format(name=name, looks=looks)
    if drift is None:
        return _("{name}: {lag} later; more looks are needed to tell whether it slides").format(name=name, lag=ms_text(lag_s, 2))  # fmt: skip
    if abs(drift.ppm) <= drift.ppm_error:
        slides = _("no drift that could be told from none")
    else:
        hour = drift.after_s(HOUR_S)
        slides = _("after an hour {amount} {way}").format(amount=ms_text(abs(hour), 0), way=_("later") if hour > 0 else _("sooner"))  # fmt: skip
    steps = (
        _(", {n} jumps").format(n=len(drift.steps)) if len(drift.steps) > 1 else _(", one jump") if drift.steps else ""
    )
    return _("{name}: {lag} later, {slides} ({ppm}){steps}").format(
        name=name, lag=ms_text(lag_s, 2), slides=slides, ppm=ppm_text(drift.ppm, drift.ppm_error), steps=steps
    )


def offset_lines(voice: str, music: str, found: PhraseOffsets) -> list[str]:
    if not found.match:
        return [f"{voice} and {music}: {NOT_FOUND[found.reason]}"]
    way = _("later than") if found.seconds >= 0 else _("earlier than")
    lines = [
        _("{voice} is {amount} {way} {music}, ± {pm}, over {count} of {of} phrases").format(
            voice=voice, amount=ms_text(abs(found.seconds)), way=way, music=music, pm=ms_text(found.plus_minus_s), count=found.phrases, of=found.of
        ),
        _("  the phrases scatter by {scatter}: that is the singer; what is the same in all of them is the path").format(scatter=ms_text(found.scatter_s)),
    ]  # fmt: skip
    if found.slides:
        lines.append(_("  it slides: {amount} a minute").format(amount=ms_text(found.trend * 60)))
    return lines


def found_text(found: Found) -> str:
    """What is done to the sound on the way, and what to look for in the other program."""
    db = f"{found.how_much:.0f} dB"
    match found.what:
        case "echo_removal":
            return _(
                "something rebuilds the sound, as echo removal does: look for echo cancellation, or for a switch for music or original sound"
            )
        case "noise_removal":
            return _("steady noise is taken out ({db}): look for noise suppression, or voice isolation").format(db=db)
        case "gate":
            return _(
                "what is soft is shut off ({db}): look for a noise gate, or for the microphone's sensitivity"
            ).format(db=db)
        case "levelling":
            return _(
                "loud and soft are made alike (by {db}): look for automatic gain, or automatic microphone volume"
            ).format(db=f"{found.how_much:.1f} dB")
        case "filter":
            return _(
                "some frequencies are louder than others (by {db}): look for an equaliser, a low cut or a voice filter"
            ).format(db=db)
        case "band_edge":
            return _("nothing above {hz} Hz comes back: that is the coder's; look for a higher sound quality").format(
                hz=f"{found.how_much:.0f}"
            )
        case _ if found.certain:
            return _("both sides come back as one: look for stereo")
        case _:
            return _("both sides come back as one: folded, perhaps by the coder")


NOT_JUDGED = {
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
