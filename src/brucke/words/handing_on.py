"""What was handed on of a take, in words."""

from collections.abc import Sequence
from typing import Protocol

from ..core.document.setup import Setup
from ..core.knowledge.evidence import Knowledge
from .recordings import agreed_text
from .timing import part_name
from .translation import _

USES = (
    ("song", _("the song to listen to")), ("film", _("one film to send")), ("editor", _("into an editor")),
    ("everything", _("everything, to keep")),
)  # fmt: skip
ABOUT = {
    "song": _("What a listener heard, as one file: the stream's, the call's or the recorder's."),
    "film": _("The pictures of the film that was brought, as they are, with what a listener heard."),
    "editor": _(
        "Every part as it came in, on a track of its own: all from one beginning, of one length, and moved by what was "
        "measured, so that what was on one beat lies together. With the pictures of its film, and a timeline of it all."
    ),
    "everything": _("Every part on its own track, what a listener heard, and a table of marks and of what was moved."),
}

SAYS = {
    "missing": _("{name}: its track is not there or cannot be read; the others are."),
    "not_moved": _("{name} stays where it came in: how much later that is than the music was not measured."),
    "silent": _("The song is silent: its level stays."),
    "peaks": _("Its peaks allow no more: the loudness stays below the one you asked for."),
    "mixed_anew": _(
        "Single tracks were edited, so what is heard together was mixed anew from them, as the moment at the beginning "
        "has it: what was muted or called up by hand meanwhile is not in it."
    ),
    "no_song": _("What was heard together was left out: the far end sounds in it, or nothing was kept."),
}


def use_text(use: str) -> str:
    return ABOUT[use]


def holds_text(setup: Setup, knowledge: Knowledge, alone: Sequence[str], far_ends: Sequence[str]) -> str:
    """What goes along: parts that stand `alone` (none: only what is heard together), and the far ends that sound in
    it, with what is noted of their agreement."""
    names = ", ".join(part_name(setup, p).lower() for p in alone)
    said = [
        _("In it: {parts}, each by itself.").format(parts=names)
        if names
        else _("Only what is heard together goes along.")
    ]
    for id in far_ends:
        agreed = agreed_text(setup, knowledge, [id]) or _("whether they agreed is not noted")
        said.append(_("{part} sounds in it: {agreed}.").format(part=part_name(setup, id), agreed=agreed))
    return " ".join(said)


class Made(Protocol):
    @property
    def files(self) -> Sequence["Handed"]: ...
    @property
    def says(self) -> Sequence[str]: ...
    @property
    def reached_lufs(self) -> float | None: ...


class Handed(Protocol):
    @property
    def path(self) -> object: ...
    @property
    def seconds(self) -> float: ...


def handed_lines(made: Made) -> list[str]:
    """One line a file, then what the user should know."""
    lines = [f"{f.path}" for f in made.files]
    if made.reached_lufs is not None:
        lines.append(_("It sounds at {lufs:.1f} LUFS.").format(lufs=made.reached_lufs))
    for said in made.says:
        code, _space, name = said.partition(" ")
        lines.append(SAYS[code].format(name=name))
    return lines
