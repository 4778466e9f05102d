"""What was handed on of a take, in words."""

from collections.abc import Sequence
from typing import Protocol

from .translation import _

SAYS = {
    "missing": _("{name}: its track is not there or cannot be read; the others are."),
    "not_moved": _("{name} stays where it came in: how much later that is than the music was not measured."),
    "silent": _("The song is silent: its level stays."),
    "peaks": _("Its peaks allow no more: the loudness stays below the one you asked for."),
    "far_end_in_mix": _("The song was left out: the far end sounds in it, and is to stay here."),
}


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
