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
        "measured, so that what was on one beat lies together."
    ),
    "everything": _("Every part on its own track, what a listener heard, and a table of marks and of what was moved."),
}

SAYS = {
    "missing": _("{name}: its track is not there or cannot be read; the others are."),
    "not_moved": _("{name} stays where it came in: how much later that is than the music was not measured."),
    "silent": _("The song is silent: its level stays."),
    "peaks": _("Its peaks allow no more: the loudness stays below the one you asked for."),
    "far_end_in_mix": _("The song was left out: the far end sounds in it, and is to stay here."),
}


def use_text(use: str) -> str:
    return ABOUT[use]


class Kept(Protocol):
    """A take, as far as it is told here what is in it."""

    @property
    def setup(self) -> Setup: ...
    @property
    def parts(self) -> dict[str, str]: ...
    @property
    def knowledge(self) -> Knowledge: ...


def holds_text(take: Kept, use: str, far_ends: bool) -> str:
    """Whose sound goes along, and whether they agreed to be recorded."""
    parts = [p for p in take.setup.parts if p.id in take.parts]
    theirs = [p for p in parts if p.kind == "far_end"]
    if use in ("song", "film"):
        if not theirs:
            return _("Only what is heard together goes along, no single voice.")
        return _("Only what is heard together goes along. {agreed}").format(
            agreed=agreed_text(take.setup, take.knowledge, take.parts)
        )
    names = ", ".join(part_name(take.setup, p.id).lower() for p in parts if far_ends or p.kind != "far_end")
    said = [_("In it: {parts}, each by itself.").format(parts=names)]
    if theirs and far_ends:
        said.append(agreed_text(take.setup, take.knowledge, take.parts))
    elif theirs:
        said.append(_("The far end stays here."))
    return " ".join(s for s in said if s)


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
