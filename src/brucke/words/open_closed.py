"""Open and closed, and who has chosen what we make, in words."""

from collections.abc import Sequence

from ..core.document.setup import Setup
from .translation import _


def chosen_text(programs: Sequence[str]) -> str:
    """“Call program has chosen it”."""
    names = list(dict.fromkeys(p or _("a program without a name") for p in programs))
    if not names:
        return _("nobody has chosen it yet")
    if len(names) == 1:
        return _("{program} has chosen it").format(program=names[0])
    return _("{programs} have chosen it").format(programs=_(" and ").join([", ".join(names[:-1]), names[-1]]))


def door_text(listener: str, is_open: bool, programs: Sequence[str]) -> str:
    """“Lounge call does not hear you, nobody has chosen it yet”."""
    said = _("{listener} may hear you, {chosen}") if is_open else _("{listener} does not hear you, {chosen}")
    return said.format(listener=listener, chosen=chosen_text(programs))


def cut_off_text(listener: str) -> str:
    return _("{listener} hears nothing: the sound server is gone").format(listener=listener)


def past_us_text(program: str, device: str) -> str:
    """Somebody who hears without any door of ours."""
    return _("{program} hears {device} itself, past Brucke").format(program=program or _("A program"), device=device)


def nothing_text(program: str) -> str:
    """A part that nobody can hear, whatever is routed."""
    return _("{program} plays nothing").format(program=program or _("the program"))


def end_gone_text(name: str, out: bool) -> str:
    """A microphone or headphones that were unplugged."""
    return (
        _("{name} is not there: you hear nothing").format(name=name)
        if out
        else _("{name} is not there: your microphone is silent").format(name=name)
    )


def not_there_text(name: str) -> str:
    """For a card, which is small."""
    return _("{name} is not there").format(name=name[:18])


def goodbye_text(setup: Setup, hears: str) -> str:
    """What is so afterwards; `hears` who does still (whoever rehearses at a stand-in), “” nobody."""
    songs = [p.name for p in setup.parts if p.kind == "lead" and not p.tracks]
    said = f"{hears[:1].upper()}{hears[1:]}." if hears else _("Nobody hears you.")
    if songs:
        said += _(" {songs} stays muted until you unmute it in Gather (U).").format(songs=", ".join(songs))
    return _("Goodbye. {said}").format(said=said)


# The usual mistakes: what is wrong, why it matters, and what mends it with one press.
MISTAKES = {
    "bare": (
        _("{program} records {device} itself, not Brucke."),
        _("They would hear you before the music. Nothing is moved without you."),
        _("Give it {listener} instead"),
    ),
    "muted": (
        _("{listener}'s microphone is muted in the desktop's mixer."),
        _("Whoever has chosen it hears nothing, whatever you let them hear. The desktop remembers this."),
        _("Not muted"),
    ),
    "softer": (
        _("The desktop's mixer turns {listener}'s microphone down."),
        _("They hear it softer than it stands here. The desktop remembers this."),
        _("As loud as it is"),
    ),
    "echo": (
        _("{program} asks the desktop to remove echo from {listener}."),
        _(
            "That is a wish, no proof that it is done; where it is, music comes through thin and broken. Switch it "
            "off in that program."
        ),
        "",
    ),
    "straight": (
        _("{program} plays straight to the loudspeakers, past {device}."),
        _("You hear it before everybody else can, and nobody else hears it."),
        _("Through Brucke, for {device}"),
    ),
    "default": (
        _("The desktop records from Brucke where nobody asked for it."),
        _("A program that chooses no microphone then hears what the call hears, and your own microphone is not found."),
        _("Take {device} again"),
    ),
    "twice": (
        _("Another Brucke runs on this computer."),
        _("What goes through one of them the other does not get. End one of the two."),
        "",
    ),
}


def mistake_texts(code: str, program: str, device: str, listener: str) -> tuple[str, str, str]:
    """(what is wrong, why it matters, what the button says; “” where a hand has to)."""
    names = {"program": program or _("A program"), "device": device, "listener": listener}
    what, why, mend = (text.format(**names) for text in MISTAKES[code])
    return what, why, mend if code != "default" or device else ""


def not_running_text(state: str) -> str:
    """Why nothing sounds yet, and what to do."""
    if state == "starting":
        return _("It is still starting. Try again once it sounds.")
    if state == "restarting":
        return _("The engine is starting again by itself. Try again once it sounds.")
    return _("Start first (F5): nothing is running yet.")
