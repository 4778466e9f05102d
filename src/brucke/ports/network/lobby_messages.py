"""What the application and the process that looks for other computers tell each other: one line of JSON each."""

from typing import Literal

import msgspec

AgreeWhy = Literal["", "code", "tries", "late", "busy", "gone", "version", "closed"]
AskWhy = Literal["no", "unknown", "gone", "late", "version", "busy", "closed", "itself"]


class _Line(msgspec.Struct, frozen=True, kw_only=True, tag=True):
    pass


class LobbyArguments(msgspec.Struct, frozen=True, kw_only=True):
    """`folder` is where the identity lies, `name` what this computer is called to others."""

    folder: str
    name: str


# To it


class SessionPort(_Line, frozen=True, kw_only=True):
    """Where the next conversation may be called."""

    port: int


class LookAt(_Line, frozen=True, kw_only=True):
    """Whether there is another computer at this place, where none is found by itself."""

    address: str
    port: int


class AskToAgree(_Line, frozen=True, kw_only=True):
    """Get to know the neighbour `id`; it shows a code."""

    id: str


class TypeCode(_Line, frozen=True, kw_only=True):
    """What the person here has typed of the code that the other one shows."""

    digits: str


class AskToOpen(_Line, frozen=True, kw_only=True):
    """Ask the person at a computer that is known to open."""

    id: str


class Answer(_Line, frozen=True, kw_only=True):
    """Of the person here to whoever asks to open."""

    id: str
    yes: bool


class Forget(_Line, frozen=True, kw_only=True):
    """That one is a stranger from now on."""

    id: str


class GiveUp(_Line, frozen=True, kw_only=True):
    """What is being agreed on or asked is let go."""


# From it


class Neighbour(msgspec.Struct, frozen=True, kw_only=True):
    """Another computer that can be found now; `known`: a code was exchanged with it."""

    id: str
    name: str
    address: str
    known: bool = False


class Neighbours(_Line, frozen=True, kw_only=True):
    found: tuple[Neighbour, ...] = ()
    agreed: tuple[Neighbour, ...] = ()  # all that a code was exchanged with, found or not
    here: tuple[str, ...] = ()  # places at which this computer is found, address:port


class ShowCode(_Line, frozen=True, kw_only=True):
    """These digits are to be typed at the other computer."""

    digits: str
    name: str


class WantCode(_Line, frozen=True, kw_only=True):
    """The other computer shows a code; `tries` are left."""

    name: str
    tries: int


class AgreeingEnded(_Line, frozen=True, kw_only=True):
    """Why, “” where both know each other now."""

    why: AgreeWhy
    name: str


class Asked(_Line, frozen=True, kw_only=True):
    """The person at that computer wants to open; `over`: no more."""

    id: str
    name: str
    over: bool = False


class AskingEnded(_Line, frozen=True, kw_only=True):
    """The other one did not open, and why. Without an `id` nobody is at the place that `name` is."""

    id: str
    name: str
    why: AskWhy


class OpenedTo(_Line, frozen=True, kw_only=True):
    """Both have agreed to open: the conversation may begin, ours listens at `ours`."""

    id: str
    name: str
    certificate: bytes
    address: str
    port: int
    ours: int


class Trouble(_Line, frozen=True, kw_only=True):
    """It cannot look for others, and why."""

    why: str


ToLobby = SessionPort | LookAt | AskToAgree | TypeCode | AskToOpen | Answer | Forget | GiveUp
FromLobby = Neighbours | ShowCode | WantCode | AgreeingEnded | Asked | AskingEnded | OpenedTo | Trouble
