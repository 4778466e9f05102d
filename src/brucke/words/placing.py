"""Where a film belongs in a take, in words."""

from itertools import pairwise

from ..core.measure.placement import Placement
from .timing import clock_text, ms_text
from .translation import _

NOT_PLACED = {
    "too_short": _("the film is too short: its place is only looked for from 16 s of sound on"),
    "silent": _("nothing sounds in one of the two"),
    "no_match": _("nothing in it sounds as in the take: it is of another evening, or hears something else"),
    "only_played": _(
        "only the music that plays from files fits, nothing of what was played live: it is most likely of another "
        "evening, so it is not placed"
    ),
    "no_live": _(
        "the music that plays from files fits, and nothing was played live in the take: one evening cannot be told "
        "from another, so it is not placed"
    ),
}


def cuts(found: Placement) -> list[tuple[float, float]]:
    """(when in the film, by how many seconds the take goes on further there) of every cut and pause in it."""
    return [
        (q.begin_s, q.at_s - (p.at_s + (p.end_s - p.begin_s) * (1 - p.drift_ppm * 1e-6)) - (q.begin_s - p.end_s))
        for p, q in pairwise(found.pieces)
    ]


def placed_lines(film: str, take: str, found: Placement) -> list[str]:
    if not found.match:
        return [_("{film} and {take}: {why}.").format(film=film, take=take, why=NOT_PLACED[found.reason])]
    first = found.pieces[0]
    after, before = _("{film} begins {s} into {take}, ± {pm}."), _("{film} begins {s} before {take}, ± {pm}.")
    where = after if found.start_s >= 0 else before
    begins = _seconds(abs(found.start_s))
    said = [where.format(film=film, take=take, s=begins, pm=ms_text(first.plus_minus_s))]
    if first.begin_s > 1.0:
        text = _("Its first {time} are of something else.")
        said.append(text.format(time=clock_text(first.begin_s)))
    if abs(first.drift_ppm) > max(1.0, 1.5 * first.drift_ppm_error):
        way = _("faster") if first.drift_ppm > 0 else _("slower")
        said.append(
            _("Its clock runs {ppm:.0f} millionths {way}, {ms} in an hour.").format(
                ppm=abs(first.drift_ppm), way=way, ms=ms_text(abs(first.drift_ppm) * 3.6e-3, 0)
            )
        )
    for at, seconds in cuts(found):
        less, more = _("At {time} it leaves out {s}."), _("At {time} it shows {s} that are none of the take.")
        text = less if seconds > 0 else more
        said.append(text.format(time=clock_text(at), s=_seconds(abs(seconds))))
    return said


def _seconds(seconds: float) -> str:
    return f"{seconds:.3f} s"
