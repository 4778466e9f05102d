"""Words of the trade that stay, and what each means, for somebody who plays."""

import re

from .translation import _

MEANINGS = {
    "latency": _("How long a sound takes from where it is made to where it is heard, in thousandths of a second (ms). "
                 "Nothing can make it less than its way; waiting can make it more."),
    "buffer": _("Sound is handed on in portions. Small ones are heard sooner; large ones are safer when the computer "
                "is busy."),
    "round trip": _("Out of this computer and back in: a test sound goes that way, and how long it takes tells how "
                    "late everything else is."),
    "far end": _("Whoever sits at the other side of a call, and what comes from there."),
    "direct monitoring": _("Hearing yourself straight from the box that the microphone is plugged into, before the "
                           "computer: at once, without anything the computer adds."),
    "backing track": _("Recorded music that is played while you sing or play to it."),
    "echo removal": _("What a call does so that people do not hear themselves come back. It takes music for an echo, "
                      "and makes it thin or breaks it up."),
    "dropout": _("A moment in which sound was missing, because the computer was late."),
    "LUFS": _("How loud a whole piece sounds to people, as broadcasters count it; 0 is the loudest there can be."),
    "ppm": _("How far two clocks run apart: millionths, so 10 ppm are 36 ms in an hour."),
    "correlation": _("How alike two sounds are at each distance in time; the highest peak says how far apart they "
                     "are."),
    "clock": _("What says when the next piece of sound is due. Two devices have two, and they never run quite alike."),
}  # fmt: skip
_PLURAL = {"latencies": "latency"}
_TERMS = re.compile(r"\b(" + "|".join([*_PLURAL, *(f"{t}s?" for t in MEANINGS)]) + r")\b", re.IGNORECASE)
_SPELLED = {t.lower(): t for t in MEANINGS}


def terms_in(text: str) -> list[tuple[int, int, str]]:
    """(where it begins, where it ends, the term) of every word in it that is explained."""
    return [(m.start(), m.end(), _term(m[1].lower())) for m in _TERMS.finditer(text)]


def _term(word: str) -> str:
    word = _PLURAL.get(word, word)
    return _SPELLED.get(word) or _SPELLED[word.removesuffix("s")]
