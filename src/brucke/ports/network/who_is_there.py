"""Whether another Brucke listens at a place, where multicast DNS does not get through."""

import asyncio

from ...core.network.control_messages import VERSION, Hello
from .control_line import LineEnded, dial
from .identity import Identity, fingerprint
from .lobby_messages import AskWhy

DIAL_S, ANSWERS_S = 2.0, 5.0


async def who_is_at(address: str, port: int, identity: Identity, name: str) -> tuple[str, str] | AskWhy:
    """(id, what it calls itself), or why nobody is found there."""
    try:
        line = await dial(address, port, identity.stranger_context(), DIAL_S)
    except OSError:
        return "gone"
    try:
        line.say(Hello(version=VERSION, name=name))
        async with asyncio.timeout(ANSWERS_S):
            said = await line.hear()
    except (LineEnded, TimeoutError):
        return "gone"
    finally:
        await line.finish()
    if not isinstance(said, Hello) or said.version != VERSION or not line.certificate:
        return "version"
    id = fingerprint(line.certificate)
    return (id, said.name) if id != identity.id else "itself"
