"""At home on the desktop, in words: why it stays awake, what is told while the window is hidden, what nobody sitting
here means."""

from collections.abc import Sequence

import msgspec

from ..core.document.setup import Setup
from .this_computer import together_text
from .timing import device_name, listener_name
from .translation import _


class News(msgspec.Struct, frozen=True):
    """`code` stands for one thing that is so, of these `things`; `does` is what its action asks the window for."""

    code: str
    title: str
    text: str
    action: str
    does: str
    urgent: bool = True
    things: frozenset[str] = frozenset()


def awake_reason(setup: Setup, open_ids: Sequence[str], on_air: bool, recording: bool) -> str:
    """Why the computer should not sleep now, “” where it may."""
    said = []
    if open_ids:
        names = together_text([listener_name(setup, x) for x in open_ids])
        said.append(_("{names} hears you") if len(open_ids) == 1 else _("{names} hear you"))
        said[-1] = said[-1].format(names=names)
    elif on_air:
        said.append(_("they hear you"))
    if recording:
        said.append(_("a take is being recorded"))
    return _(", and ").join(said)


def awake_text(reason: str, kept: bool, asked: bool) -> str:
    """Whether somebody keeps it awake for that reason."""
    if not reason:
        return _("This computer may go to sleep: nobody hears you and nothing is recorded.")
    if kept:
        return _("Kept awake: {reason}.").format(reason=reason)
    if asked:
        return _("Asked to stay awake: {reason}.").format(reason=reason)
    return _("Nothing on this desktop keeps it awake, though {reason}. Switch its sleep off by hand.").format(
        reason=reason
    )


def missing_news(setup: Setup, missing: Sequence[str]) -> News:
    names = together_text([device_name(setup, d) for d in missing])
    title = (_("{names} is not there") if len(missing) == 1 else _("{names} are not there")).format(names=names)
    text = _("Silent until it is back; it joins by itself.")
    return News("missing", title, text, _("Show"), "show", things=frozenset(missing))


def stopped_news(why: str) -> News:
    return News("stopped", _("Nothing sounds"), why, _("Start"), "start")


def unwritten_news() -> News:
    text = _("The take that is being recorded gets nothing more. What was written is whole.")
    return News("recorder", _("Nothing is being written"), text, _("Show"), "show")


def unheard_news(setup: Setup, listener: str, since: str) -> News:
    name = listener_name(setup, listener)
    text = _("The program that had chosen it takes no sound any more. It would hear you again at once.").format(
        name=name
    )
    title = _("Nobody hears you in {name} since {since}").format(name=name, since=since)
    return News(
        f"unheard/{listener}", title, text, _("Let {name} hear no longer").format(name=name), f"close/{listener}"
    )


def server_news() -> News:
    text = _("Calls and streams of this computer hear nothing. It joins by itself when the server is back.")
    return News("server", _("The sound server is gone"), text, _("Show"), "show")


def unopened_news(why: str) -> News:
    return News("unopened", _("The last setup was not opened"), why, _("Show"), "show")


def slept_news() -> News:
    text = _("They hear you no longer. Test the round trip again before you rely on it.")
    return News("slept", _("The computer slept"), text, _("Show"), "align")


def still_heard_text(setup: Setup, open_ids: Sequence[str]) -> str:
    """For whoever closes the window while something is open."""
    if not open_ids:
        return _("They hear you. What you play is still heard when the window is hidden.")
    said = _("{names} hears you") if len(open_ids) == 1 else _("{names} hear you")
    names = together_text([listener_name(setup, x) for x in open_ids])
    return _("{said}: you are still heard when the window is hidden.").format(said=said.format(names=names))


KEEPS, LETS_GO = "keeps", "lets_go"


def held_text(held: Sequence[tuple[str, Sequence[str]]]) -> str:
    """For whoever quits while programs have chosen microphones of ours: (microphone, programs)."""
    some = [
        (_("{programs} has chosen {name}") if len(programs) == 1 else _("{programs} have chosen {name}")).format(
            programs=together_text(programs), name=name
        )
        for name, programs in held
    ]
    return _(
        "{who}.\n\nKept silent, nothing is heard there until another microphone is chosen or Brucke is back.\n\n"
        "Let go, the desktop gives them this computer's own microphone at once."
    ).format(who="; ".join(some))


def hidden_news(hears: str) -> News:
    text = _("{hears}. Quit in its menu ends it.").format(hears=hears[:1].upper() + hears[1:])
    return News("hidden", _("Brucke goes on without its window"), text, _("Show"), "show", urgent=False)


# When nobody may be sitting here: by event, what may be chosen, the first where nothing was.
GOES_ON, CLOSES, STOPS = "goes_on", "closes", "stops"
CHOICES = {
    "locked": (GOES_ON, CLOSES, STOPS),
    "left": (CLOSES, GOES_ON, STOPS),
    "woke": (GOES_ON, STOPS),
    "moved": (GOES_ON, CLOSES),
}
EVENT_TEXT = {
    "locked": _("When the session is locked"),
    "left": _("When another user's session comes to the front"),
    "woke": _("After sleep (they hear you no longer in any case)"),
    "moved": _("When the desktop's microphone or headphones become others"),
}
CHOICE_TEXT = {
    GOES_ON: _("the sound goes on as it is"),
    CLOSES: _("they hear you no longer, the sound goes on"),
    STOPS: _("they hear you no longer and the sound stops"),
}
_HAPPENED = {
    "sleeps": _("The computer goes to sleep"),
    "locked": _("The session was locked"),
    "left": _("Another user's session is in front"),
    "woke": _("The computer slept"),
    "moved": _("The desktop's devices have become others"),
}


def happened_text(event: str, closed: Sequence[str], stopped: bool) -> str:
    """What was done about it; “” where nothing was."""
    if not closed and not stopped:
        return ""
    done = _("they hear you no longer") if closed else ""
    if stopped:
        done = _(" and ").join(x for x in (done, _("the sound was stopped")) if x)
    return f"{_HAPPENED[event]}: {done}."


# The tray


def mark_text(state: str, trouble: str) -> str:
    said = {"silent": _("silent"), "closed": _("sounds, nobody is let hear"), "open": _("they hear you")}[state]
    return _("Brucke: {said}").format(said=", ".join(x for x in (said, trouble) if x))
