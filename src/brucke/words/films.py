"""Sentences about sound and picture of a recording."""

from ..core.measure.claps import best_known
from ..core.measure.sound_and_picture import SoundAndPicture
from ..core.timing.verdicts import picture_standing, within_chain
from .detail import choose, in_numbers
from .timing import about_text, ms_text
from .translation import _

TOGETHER_S = 0.5e-3
NOT_FOUND = {
    "silent": _("nothing sharp sounds in it: clap a few times before the camera, or play the film of brucke slate"),
    "edge": _(
        "what is seen stands at the edge of what is looked through, 1 s for flashes and 0.6 s for claps either way: "
        "move sound and picture nearer, and look again"
    ),
    "still": _(
        "nothing is seen that goes with most of what sounds, 1 s either way for flashes and 0.6 s for claps: let the "
        "hands, or the whole flash, be seen"
    ),
}
STANDING = {
    "unnoticed": _("nobody notices that"),
    "noticed": _("people notice that"),
    "unacceptable": _("that is too much for anybody"),
}


def offset_text(sound_early_s: float, plus_minus_s: float) -> str:
    """“the sound comes 42.0 ms before the picture, ± 5.0 ms”."""
    if abs(sound_early_s) < TOGETHER_S:
        together = choose(_("sound and picture come together"), _("sound and picture come together, ± {pm}"))
        return together.format(pm=ms_text(plus_minus_s))
    said = (
        _("the sound comes {ms} before the picture")
        if sound_early_s > 0
        else _("the sound comes {ms} after the picture")
    )
    if not in_numbers() and abs(sound_early_s) <= plus_minus_s:
        return _("sound and picture come together, as far as this can tell")
    if not in_numbers():
        return said.format(ms=about_text(sound_early_s, plus_minus_s))
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
        else _("broadcasters hold their own programmes to less (R 37)")
    )
    standing = STANDING[picture_standing(sound_early_s)]
    return choose(standing, f"{standing} (BT.1359); {chain}")


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
    return said.format(ms=ms_text(abs(hour), 0)) + choose(
        "", f" ({found.drift.ppm:.1f} ± {found.drift.plus_minus_ppm:.1f} ppm)"
    )


def rested_text(period_s: float) -> str:
    """How to know it better."""
    said = choose(
        _("the hands stayed together, which tells less: let them spring back"),
        _("the hands stayed together, which tells less: let them spring back, and it is known at best to ± {pm}"),
    )
    return said.format(pm=ms_text(best_known(period_s)))


def rivals_text(found: SoundAndPicture) -> str:
    """What it may be as well."""
    if found.offset is None or not found.offset.rivals:
        return ""
    nearest = sorted(found.offset.rivals, key=lambda r: abs(r.value))[:2]
    said = _(" or ").join(offset_text(r.value, found.offset.plus_minus_s) for r in nearest)
    return _("it may as well be that {said}: clap unevenly, and it is sure").format(said=said)


def only_text(only_s: float) -> str:
    """That not all of it was looked at."""
    return _("only its first {minutes} minutes were looked at").format(minutes=f"{only_s / 60:.0f}") if only_s else ""


def picture_lines(name: str, found: SoundAndPicture, period_s: float, only_s: float = 0.0) -> list[str]:
    """What `picture` says of a file."""
    offset = found.offset
    if offset is None:
        return [f"{name}: {NOT_FOUND[found.reason]}", *([f"  {only_text(only_s)}"] if only_s else [])]
    every = _("a picture every {ms}").format(ms=ms_text(period_s))
    lines = [
        f"{name}: {offset_text(offset.seconds, offset.plus_minus_s)} ({events_text(found)}, {every})",
        f"  {standing_text(offset.seconds)}",
        f"  {mend_text(offset.seconds, offset.plus_minus_s)}",
    ]
    more = [
        rivals_text(found), drift_text(found), rested_text(period_s) if offset.rested else "", only_text(only_s)
    ]  # fmt: skip
    return [*lines, *(f"  {text}" for text in more if text)]
