"""What is in force now and no document keeps: who is open, what is silent, the moment. Pure."""

import hashlib

import msgspec

from ...core.document.setup import Listener, Part, Setup

FADED_DB = -60.0


class Without(msgspec.Struct, frozen=True, kw_only=True):
    """One chain heard without its processors, or without the one in `slot`, `gain_db` louder so that loudness does not
    decide."""

    owner: str
    slot: int = -1
    gain_db: float = 0.0


class Live(msgspec.Struct, frozen=True, kw_only=True):
    """What is in force now and never undone: the moment, parts muted by hand or all of them `silent`, how far the leads
    are faded, the one part that is listened to alone in the monitors, on air or not, and the listeners that stay closed
    on air; the listener whose sound is in the headphones in place of one's own, in one ear only where `half`; and
    whether the monitors are held down because something howls through them; the steps outside, by place, that are
    heard dry because they come back at another time."""

    moment: str = ""
    muted: frozenset[str] = frozenset()
    silent: bool = False
    fade_db: float = 0.0
    alone: str = ""
    on_air: bool = False
    shut: frozenset[str] = frozenset()
    without: Without | None = None
    hears_as: str = ""
    half: bool = False
    dimmed: bool = False
    dry_steps: tuple[int, ...] = ()


def silenced(live: Live, part: Part) -> bool:
    """Whether nobody hears a part, by hand."""
    return live.silent or part.id in live.muted or (part.kind == "lead" and live.fade_db <= FADED_DB)


def muted_now(setup: Setup, live: Live) -> frozenset[str]:
    """The parts that nobody hears, by hand."""
    return frozenset(p.id for p in setup.parts if silenced(live, p))


def moment_key(id: str) -> int:
    """A moment as one word of 63 bits; 0 is the setup as it is, without one."""
    return int.from_bytes(hashlib.blake2b(id.encode(), digest_size=8).digest()) >> 1 if id else 0


# Doors


def has_door(setup: Setup, listener: str) -> bool:
    """Whether somebody else sits there: nobody does at a stand-in, and what is our own has no door."""
    x = next((x for x in setup.listeners if x.id == listener), None)
    return x is not None and x.kind not in ("monitor", "recorder") and bool(setup.device(x.device).card)


def doors(setup: Setup) -> tuple[str, ...]:
    """Ids of the listeners that have one."""
    return tuple(x.id for x in setup.listeners if has_door(setup, x.id))


def open_now(setup: Setup, listener: Listener, live: Live) -> bool:
    """Whether what a listener gets goes out to it: behind a door only on air, and where it is not kept closed."""
    return not has_door(setup, listener.id) or (live.on_air and listener.id not in live.shut)


def open_doors(setup: Setup, live: Live) -> tuple[str, ...]:
    """Ids of the listeners behind a door that is open."""
    return tuple(id for id in doors(setup) if live.on_air and id not in live.shut)


def with_door(setup: Setup, live: Live, listener: str, is_open: bool) -> Live:
    """One door more open, or closed; the others stay as they are. The last one that closes ends being on air, and is
    the one that opens with it again."""
    now = {*open_doors(setup, live)}
    wanted = now | {listener} if is_open else now - {listener}
    if not wanted:
        return msgspec.structs.replace(live, on_air=False)
    shut = live.shut - set(doors(setup)) | (set(doors(setup)) - wanted)
    return msgspec.structs.replace(live, on_air=True, shut=shut)
