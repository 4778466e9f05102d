"""Findings of the soundcheck as sentences: what and where, why it matters, what mends it. No screen here."""

from collections.abc import Sequence

from ..core.checks.soundcheck import Result, by_hand, mended
from ..core.document.setup import Setup
from ..core.findings import Finding, Value
from ..core.timing.paths import Situation
from .detail import choose
from .timing import QUANTITY_NAMES, day_text, device_name, finding_text, listener_name, part_name
from .translation import _

CHECK_TITLES = {
    "present": _("all equipment is there"),
    "rates": _("one sample rate everywhere"),
    "buffers": _("sensible buffers"),
    "clock": _("one device sets the clock"),
    "signal": _("every part has signal"),
    "clipping": _("no input clips"),
    "sides": _("both sides carry sound"),
    "bleed": _("headphones do not leak into a microphone"),
    "loops": _("nothing goes round in a circle"),
    "doubled": _("nothing is heard twice"),
    "clean_call": _("no call hears itself"),
    "hears": _("each listener hears what it needs"),
    "second_track": _("one stereo track where only one is carried"),
    "sums": _("no sum clips"),
    "muted": _("nothing is muted by mistake"),
    "everything": _("only chosen sounds go out"),
    "evidence": _("what was measured still counts"),
    "in_step": _("everything arrives together"),
    "own_sound": _("the player hears their own sound in time"),
    "wireless": _("headphones on a cable"),
    "disk": _("room for an hour of recording"),
    "sleep": _("the computer stays awake"),
}

# code: (what, why, what the mending button says). {part}, {listener}, {device} are names.
_TEXTS = {
    "device_missing": (
        _("{device} is not there."),
        _("What comes from it or goes to it is silent. It joins by itself when it is back."),
        _("Plug it in or switch it on"),
    ),
    "end_in_gone": (
        _("{end} is not there; {device} records from nothing."),
        _("Your microphone is silent. It joins by itself when it is back."),
        _("Plug it in or switch it on"),
    ),
    "end_out_gone": (
        _("{end} is not there; {device} plays to nothing."),
        _("You hear nothing, and what was measured through it says nothing now. It joins by itself when it is back."),
        _("Plug it in or switch it on"),
    ),
    "song_gone": (
        _("{song} has no track: {file} is not among the backing tracks."),
        _("In the hour it could not begin."),
        _("Choose another track, or bring it in"),
    ),
    "heard_past_us": (
        _("{program} records {end} itself, not Brucke."),
        _("They hear you whatever is let or not let here, and before the music."),
        _("Give it a microphone of Brucke's"),
    ),
    "plays_nothing": (
        _("{device} plays nothing, so {part} is silent."),
        _("Its program has ended, or stands still."),
        _("Let it play"),
    ),
    "other_rate": (
        _("{device} runs at {rate_hz} Hz, everything else at {wanted_hz} Hz."),
        _("Sound between two rates is too fast, too slow, or not there at all."),
        _("Set it to {wanted_hz} Hz"),
    ),
    "buffer_small": (
        _("{device} buffers {frames} frames, less than one block of {block}."),
        _("It would run dry and click."),
        _("Set {block} × 2 frames"),
    ),
    "buffer_large": (
        _("{device} buffers {ms:.0f} ms."),
        _("The player hears everything that much later, each way."),
        _("Set smaller buffers"),
    ),
    "no_clock": (
        _("No device sets the clock."),
        _("Two clocks drift apart; one has to lead."),
        _("Let {device} lead"),
    ),
    "wireless": (
        _("{listener} is wireless."),
        _("Wireless headphones are late by 100 ms and more, and by a different amount every time."),
        _("It is on a cable now"),
    ),
    "own_sound_late": (
        _("{part} reaches the player's own ear after {ms:.0f} ms."),
        _("Beyond 30 ms nobody keeps time with themselves."),
        _("Set smaller buffers"),
    ),
    "disk_full": (
        _("The disk holds {minutes} more minutes of recording."),
        _("A take that runs out of room ends in the middle."),
        _("Make room on the disk"),
    ),
    "may_sleep": (
        _("The computer may go to sleep by itself."),
        _("Sleep stops every sound, and what was measured no longer counts."),
        _("Switch sleep off for today"),
    ),
    "no_signal": (
        _("{part} is silent."),
        _("Nobody will hear it. A cable, a mute at the instrument, or the wrong input."),
        _("It is meant to be silent now"),
    ),
    "input_clips": (
        _("{part} clips at the input of {device}."),
        _("What is clipped there no trim can mend."),
        _("Turn the knob at the input down"),
    ),
    "trim_clips": (
        _("{part} is {over_db:.1f} dB too loud after its trim."),
        _("It will clip in everything it is sent to."),
        _("Lower its trim"),
    ),
    "one_sided": (
        _("{part} has sound only on the {side}."),
        _("Everybody hears it in one ear."),
        _("Carry the {side} to both sides"),
    ),
    "cancels_in_mono": (
        _("Left and right of {part} cancel: in mono it loses {loses_db:.0f} dB."),
        _("Telephones, many loudspeakers and most calls play mono. It would be gone there."),
        _("Carry the left to both sides"),
    ),
    "bleed": (
        _("{lead} leaks from the headphones into {part}, {ms:.0f} ms late."),
        _("Everybody hears it twice, the second time late."),
        _("Turn the headphones down or close them"),
    ),
    "everything": (
        _("{part} is everything this computer plays."),
        _("Other programs and their signals would go out unasked, and what comes back would go out again."),
        _("Take this part out"),
    ),
    "loop": (
        _("{part} to {listener} closes a circle by way of {ring}."),
        _("It comes round again and again, and may howl."),
        _("Switch this route off"),
    ),
    "own_return": (
        _("{listener} gets its own far end back."),
        _("They hear themselves late, and soon cannot talk."),
        _("Keep it out again"),
    ),
    "doubled": (
        _("{part} reaches {listener} twice, {ms:.1f} ms apart{by}."),
        _("Two arrivals so close {effect}."),
        _("Switch this route off"),
    ),
    "hears_nothing": (
        _("{listener} hears nothing."),
        _("No route leads there."),
        _("Let it hear the music and the players"),
    ),
    "player_missing": (
        _("{listener} hears the music without the player."),
        _("They get everything but who they came for."),
        _("Send {part} there"),
    ),
    "second_track": (
        _("{listener} is {channels} channels wide, and carries only the first two."),
        _("What is on the others is lost on the way. A recorder keeps them all."),
        _("Make it one stereo track"),
    ),
    "sum_clips": (
        _("{listener} is {over_db:.1f} dB too loud as a sum."),
        _("Each part alone is fine; together they clip."),
        _("Lower everything there alike"),
    ),
    "muted": (
        _("{part} is muted."),
        _("Nobody hears it, in any moment."),
        _("Let it sound"),
    ),
    "faint": (
        _("{part} to {listener} is on, and too soft to hear."),
        _("It looks as if they heard it, and they do not."),
        _("Bring it up to −12 dB"),
    ),
    "not_measured": (
        _("The {quantity} of {device} was never measured."),
        _("Until then every time here is calculated, and may be milliseconds off."),
        _("Measure it now"),
    ),
    "stale": (
        _("The {quantity} of {device} as it was measured no longer counts."),
        _("Rate, buffers or the device changed since."),
        _("Measure it again"),
    ),
    "contradicted": (
        _("The {quantity} of {device} is not what was measured; that counts no longer."),
        _("A sweep found another one since. Until it is measured again, every time here is calculated."),
        _("Measure it again"),
    ),
    "unconfirmed": (
        _("The {quantity} of {device} counts as measured on {day}."),
        _("Something was restarted or dropped out since. One quiet sweep says whether it is still so."),
        _("Test it again"),
    ),
    "delay_too_long": (
        _("{part} would need {ms:.0f} ms of delay at {listener}; 2 s is the most."),
        _("It cannot be put in step there, so nobody there is called in step."),
        _("Look at what takes so long"),
    ),
    "out_of_step": (
        _("{part} is {ms:.1f} ms {verdict} at {listener}{also}."),
        _("They hear it apart from the rest."),
        _("Put everyone in step everywhere"),
    ),
    "at_limit": (
        _("{part} is {ms:.1f} ms {verdict} at {listener}, since no sound waits longer than {most:.0f} ms there."),
        _("You asked for that limit. They hear it apart from the rest all the same."),
        _("Look at it"),
    ),
    "picture_unknown": (
        _("When {part} comes at {listener} was never measured."),
        _("Sounds are put in step with each other there, and do not wait for it. A film of it, or claps in a take, "
          "tells."),
        _("Look at Align"),
    ),
    "picture_first": (
        _("At {listener} the picture is first by {ms:.0f} ms."),
        _("Sound cannot be hurried. The other program can delay its picture."),
        _("Delay the picture there by {ms:.0f} ms"),
    ),
}  # fmt: skip


# Said instead where it is said plainly.
_PLAIN_TITLES = {
    "rates": _("all equipment runs alike"),
    "buffers": _("quick, and still safe"),
}
_PLAIN_WHAT = {
    "other_rate": _("{device} runs at another rate than everything else."),
    "buffer_small": _("{device} is set quicker than Brucke can be."),
    "buffer_large": _("{device} holds sound back for {ms:.0f} ms."),
    "trim_clips": _("{part} is too loud."),
    "cancels_in_mono": _("Left and right of {part} cancel: where both come from one loudspeaker it is nearly gone."),
    "sum_clips": _("Everything together is too loud for {listener}."),
}
_PLAIN_MEND = {
    "other_rate": _("Set it alike"),
    "buffer_small": _("Set it as Brucke is"),
    "buffer_large": _("Make it quicker"),
    "own_sound_late": _("Make it quicker"),
    "trim_clips": _("Make it softer"),
    "faint": _("Bring it up"),
}


def title_text(check: str) -> str:
    """What a check is for."""
    return choose(_PLAIN_TITLES.get(check, CHECK_TITLES[check]), CHECK_TITLES[check])


def count_text(results: Sequence[Result]) -> str:
    """“17 good, 5 not yet”; what has to be mended is counted first."""
    counts = {s: sum(r.state == s for r in results) for s in ("mend", "good", "not_yet")}
    said = [_("{n} to mend").format(n=counts["mend"])] if counts["mend"] else []
    said.append(_("{n} good").format(n=counts["good"]))
    if counts["not_yet"]:
        said.append(_("{n} not yet").format(n=counts["not_yet"]))
    return ", ".join(said)


def _values(setup: Setup, f: Finding) -> dict[str, Value]:
    values: dict[str, Value] = {
        "part": part_name(setup, f.part), "listener": listener_name(setup, f.listener),
        "device": device_name(setup, f.device), **f.values,
    }  # fmt: skip
    if "lead" in values:
        values["lead"] = part_name(setup, str(values["lead"]))
    if "ring" in values:
        values["ring"] = " → ".join(part_name(setup, x) for x in str(values["ring"]).split(" → "))
    if f.code == "doubled":
        values.update(_doubled_words(setup, f))
    elif f.code in ("out_of_step", "picture_first", "at_limit"):
        values["ms"] = abs(float(values["ms"]))
    if "quantity" in values:
        values["quantity"] = QUANTITY_NAMES[str(values["quantity"])]
    if "date" in values:
        values["day"] = day_text(str(values["date"]))
    if f.code == "out_of_step":
        more = int(f.values["more"])
        values["also"] = _(", and {more} more listeners are out of step").format(more=more) if more > 1 else ""
        values["also"] = _(", and one more listener is out of step") if more == 1 else values["also"]
    return values


def _doubled_words(setup: Setup, f: Finding) -> dict[str, Value]:
    via, notch = str(f.values["via"]), float(f.values["notch_hz"])
    by = part_name(setup, via) if via else _("the interface's own monitoring")
    if notch == 0:
        effect = _("add up to twice as loud")
    elif notch > 20:
        effect = choose(_("make it thin and hollow"), _("cut notches, the first at {hz:.0f} Hz")).format(hz=notch)
    else:
        effect = _("are heard as an echo")
    return {"by": _(", again by way of {by}").format(by=by), "effect": effect, "ms": abs(float(f.values["ms"]))}


def what_text(setup: Setup, f: Finding) -> str:
    """What is wrong, and where."""
    if f.code not in _TEXTS:
        return finding_text(setup, f)
    said = _TEXTS[f.code][0]
    return choose(_PLAIN_WHAT.get(f.code, said), said).format(**_values(setup, f))


def why_text(setup: Setup, f: Finding) -> str:
    """Why it matters; nothing where the sentence says it all."""
    return _TEXTS[f.code][1].format(**_values(setup, f)) if f.code in _TEXTS else ""


def mend_text(known: Situation, f: Finding) -> str:
    """What the button says, or what a hand has to do."""
    if f.code in _TEXTS:
        said = _TEXTS[f.code][2]
        return choose(_PLAIN_MEND.get(f.code, said), said).format(**_values(known.setup, f))
    return _("Switch the route on") if mended(known, f) is not None else _("Show it")


def mended_by(known: Situation, f: Finding) -> str:
    """“edit” where one action does it, else which action leads there."""
    return "edit" if mended(known, f) is not None else by_hand(f)


SHORT = {
    "doubled": _("heard twice"), "loop": _("goes in a circle"), "own_return": _("hears itself"), "faint": _("too soft"),
    "sum_clips": _("clips"), "hears_nothing": _("hears nothing"), "second_track": _("second track lost"),
    "player_missing": _("player missing"),
}  # fmt: skip


def short_text(f: Finding) -> str:
    """Two words for the cell it concerns, nothing where it concerns no cell."""
    return SHORT.get(f.code, "")
