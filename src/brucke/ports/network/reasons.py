"""Why two computers did not come together, in the words between the lobby and the application."""

from typing import get_args

from ...core.network.control_messages import Hello, Refused
from .lobby_messages import AgreeWhy, AskWhy


def agree_code(why: str) -> AgreeWhy:
    known: dict[str, AgreeWhy] = {w: w for w in get_args(AgreeWhy)}
    return known.get(why, "gone")


def agree_reason(said: object) -> AgreeWhy:
    """Of an answer that was not the one hoped for."""
    return agree_code(said.why) if isinstance(said, Refused) else "version" if isinstance(said, Hello) else "gone"


def open_reason(why: str) -> AskWhy:
    known: dict[str, AskWhy] = {w: w for w in get_args(AskWhy)}
    return known.get(why, "gone")
