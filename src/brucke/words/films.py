"""Sentences about sound and picture of a recording."""

from ..core.measure.claps import best_known
from ..core.measure.sound_and_picture import SoundAndPicture
from ..core.timing.verdicts import picture_standing, within_chain
from .timing import ms_text
from .translation import _

TOGETHER_S = 0.5e-3
NOT_FOUND = {
    "silent": _("nothing sharp sounds in it: clap a few times before the camera, or play the film of brucke slate"),
    "still": _("nothing is seen that goes with what sounds: let the hands, or the whole flash, be seen"),
}
STANDING = {
    "unnoticed": _("nobody notices that"),
    "noticed": _("people notice that"),
    "unacceptable": _("that is too much for anybody"),
}


def offset_text(sound_early_s: float, plus_minus_s: float) -> str:
    """“the sound comes 42.0 ms before the picture, ± 5.0 ms”."""
    if abs(sound_early_s) < TOGETHER_S:
        return _("sound and picture come together, ± {pm}").format(pm=ms_text(plus_minus_s))
    said = (
        _("the sound comes {ms} before the picture")
        if sound_early_s > 0
        else _("the sound comes {ms} after the picture")
    )
    return f"{said.format(ms=ms_text(abs(sound_early_s)))}, ± {ms_text(plus_minus_s)}"


def mend_text(sound_early_s: float, plus_minus_s: float) -> str:
    """What to enter in the program that made the recording."""
    if abs(sound_early_s) <= plus_minus_s:
        return _("nothing to mend: they are together as far as this can tell")
    if sound_early_s > 0:
        return _("delay the sound by {ms} where it is put together with the picture").format(
            ms=ms_text(sound_early_s, 0)
        )
    return _("delay the picture by {ms} where it is put together with the sound").format(ms=ms_text(-sound_early_s, 0))


def events_text(found: SoundAndPicture) -> str:
    """“8 flashes”, “1 clap”."""
    count = found.offset.events if found.offset is not None else 0
    one, many = (_("flash"), _("flashes")) if found.seen == "flashes" else (_("clap"), _("claps"))
    return f"{count} {one if count == 1 else many}"


def standing_text(sound_early_s: float) -> str:
    """What the standards say of it."""
    chain = (
        _("within what broadcasters allow (R 37)")
        if within_chain(sound_early_s)
        else _("outside what broadcasters allow (R 37)")
    )
    return f"{STANDING[picture_standing(sound_early_s)]} (BT.1359); {chain}"


def drift_text(found: SoundAndPicture) -> str:
    """That it slides, where it is known to; else nothing."""
    if found.drift is None or abs(found.drift.ppm) <= found.drift.plus_minus_ppm:
        return ""
    hour = found.drift.ppm * 3.6e-3
    said = (
        _("it drifts: after an hour the sound comes {ms} sooner")
        if hour > 0
        else _("it drifts: after an hour the sound comes {ms} later")
    )
    return f"{said.format(ms=ms_text(abs(hour), 0))} ({found.drift.ppm:.1f} ± {found.drift.plus_minus_ppm:.1f} ppm)"


def rested_text(period_s: float) -> str:
    """How to know it better."""
    return _("the hands stayed together, which tells less: let them spring back, and it is known to ± {pm}").format(
        pm=ms_text(best_known(period_s))
    )


def picture_lines(name: str, found: SoundAndPicture, period_s: float) -> list[str]:
    """What `picture` says of a file."""
    offset = found.offset
    if offset is None:
        return [f"{name}: {NOT_FOUND[found.reason]}"]
    every = _("a picture every {ms}").format(ms=ms_text(period_s))
    lines = [
        f"{name}: {offset_text(offset.seconds, offset.plus_minus_s)} ({events_text(found)}, {every})",
        f"  {standing_text(offset.seconds)}",
        f"  {mend_text(offset.seconds, offset.plus_minus_s)}",
    ]
    more = [drift_text(found), rested_text(period_s) if offset.rested else ""]
    return [*lines, *(f"  {text}" for text in more if text)]
