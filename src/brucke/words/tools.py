"""The questions that the other ways of knowing answer. Which tool answers which stands with the tool."""

import msgspec

from .translation import _


class Question(msgspec.Struct, frozen=True):
    """What somebody asks, and how it is answered."""

    code: str
    text: str
    about: str
    in_numbers: bool = False  # asked only where it is said in numbers


QUESTIONS = (
    Question(
        "picture",
        _("Do picture and sound meet?"),
        _("From a recording of the stream, or a telephone's film of your screen. Claps tell it, or flashes of a test "
          "film."),
    ),
    Question(
        "voice",
        _("Is my voice late?"),
        _("From a recording of voice and music: how far apart they are, phrase by phrase; or by your own ear, without "
          "being told which is which."),
    ),
    Question(
        "call",
        _("Does the call spoil music?"),
        _("A test sound goes through the call and comes back: echo removal, noise removal and automatic levels are "
          "found, and what to switch off."),
    ),
    Question(
        "quicker",
        _("Quicker or safer?"),
        _("Quicker is heard sooner, and breaks up when the computer is busy. Try what this one can do, or see what "
          "would change for whom."),
    ),
    Question(
        "enter",
        _("What do I enter there?"),
        _("Delays and switches for the program of a call or a stream, to copy or to keep as a page."),
    ),
    Question(
        "boxes",
        _("Which box takes how long, and do clocks run apart?"),
        _("Every round trip shared out over what it went through, and two clocks against one another."),
        in_numbers=True,
    ),
)  # fmt: skip
