"""How a running engine follows the setup: what keeps its row, what comes and leaves without a gap, and what makes it
start anew. Pure."""

import msgspec
from msgspec.structs import replace

from ...core.document.setup import OF_THIS_COMPUTER, Device, Part, Setup
from ...core.edits.union import together
from ...core.routing.captures import capture_channels
from ...core.routing.clocks import matched
from ...core.routing.rows import Rows, rows_of
from ...engine.step.live import Live
from ...engine.step.plan import PlanError, compile_plan
from ...ports.devices.opening import Wiring, Wirings, wirings_of
from ...words.translation import _

LINGER_S = 0.2  # what has left is still carried so long, until its sound has faded out


class Carried(msgspec.Struct, frozen=True):
    """`setup` is what the devices and the world outside carry: with what has just left."""

    setup: Setup
    rows: Rows
    channels: int  # of the widest listener that has room
    wirings: Wirings
    opened: Wirings  # as it was when the devices were opened

    @property
    def wiring(self) -> Wiring | None:
        """Of the real device that leads."""
        return self.wirings.leading

    def following(self, setup: Setup, now: float) -> "Carried | None":
        """To go on with another setup; None where everything has to start anew."""
        if not _goes_on(self.setup, setup) or any(x.channels > self.channels for x in setup.listeners):
            return None
        return self._with(_leaving(setup, self.setup), now)

    def settled(self, setup: Setup, now: float) -> "Carried":
        """Without what has left."""
        return self._with(setup, now) or self

    def _with(self, setup: Setup, now: float) -> "Carried | None":
        rows = self.rows.following(setup, now)
        if rows is None:
            return None
        wirings = wirings_of(setup, rows.order(setup))
        now_leads, led = wirings.leading, self.opened.leading
        goes_on = now_leads is led if now_leads is None or led is None else now_leads.can_follow(led)
        return Carried(setup, rows, self.channels, wirings, self.opened) if goes_on else None


def carried(setup: Setup, channels: int) -> Carried:
    """Of an engine that begins with it."""
    rows = rows_of(setup, roomy=True)
    wirings = wirings_of(setup, rows.order(setup))
    return Carried(setup, rows, channels, wirings, wirings)


def admits(now: Carried | None, setup: Setup, live: Live, held: str, at: float) -> str:
    """Why `setup` must not become what the engine carries `now` (nothing, while none runs), empty where it may. `held`
    says what nothing may be started anew for, empty where it may. Asked by every way in: edit, undo, redo, bringing
    back, the buffer finder."""
    if now is None:
        return ""
    after = now.following(setup, at)
    if after is None and held:
        return _("{held}, nothing is started anew, which this needs").format(held=held)
    try:
        compile_plan(setup, live, after.rows if after is not None else None)
    except PlanError as e:
        return str(e)
    return ""


def structure(setup: Setup) -> tuple[object, ...]:
    """What the world outside is built from."""
    who = tuple((p.id, p.kind, p.device, p.follows, p.shows, p.returns_from) for p in setup.parts)
    listeners = tuple((x.id, x.device, x.channels) for x in setup.listeners)
    pictures = {p.id for p in setup.parts if p.kind == "picture"}
    shown = tuple((r.part, r.listener, r.on) for r in setup.routes if r.part in pictures)
    return who, capture_channels(setup), listeners, shown, tuple(_as_opened(d) for d in setup.devices)


def _as_opened(device: Device) -> Device:
    """Which program is taken over is the desktop's matter, not the engine's; nor is what it is called, or which camera
    is recorded."""
    if device.kind == "camera":
        return replace(device, name="", card="")
    there = device.card.startswith(f"{OF_THIS_COMPUTER}/")
    return replace(device, name="", card=OF_THIS_COMPUTER if there else device.card)


def _goes_on(before: Setup, after: Setup) -> bool:
    """Whether what is in both is opened as it was, and the same stand-ins lead."""
    # What has a clock of its own comes and goes without the others.
    alone = {d.id for d in matched(before)} & {d.id for d in matched(after)}
    alone |= {d.id for d in before.devices if d.kind == "peer"}
    opened = {d.id: _as_opened(d) for d in before.devices if d.id not in alone}
    return (
        (before.block_frames, before.rate_hz) == (after.block_frames, after.rate_hz)
        and all(opened.get(d.id, _as_opened(d)) == _as_opened(d) for d in after.devices)
        and _stand_in_leads(before) == _stand_in_leads(after)
        and _who_stands_in(before, after) == _who_stands_in(after, before)
    )


def _stand_in_leads(setup: Setup) -> tuple[object, ...]:
    """The interface, the player and the count-in that the world outside cannot change while it plays."""
    simulated = {d.id for d in setup.devices if not d.card or d.kind == "camera"}
    interface = next((d.id for d in setup.devices if d.kind == "interface" and d.id in simulated), "")
    lead = next(((p.id, p.device) for p in setup.parts if p.kind == "lead" and p.device in simulated), None)
    return interface, lead, next((p.id for p in setup.parts if p.source == "count_in"), "")


def _who_stands_in(setup: Setup, other: Setup) -> dict[str, object]:
    """Of the parts in both what a stand-in plays by."""
    both, simulated = {p.id for p in other.parts}, {d.id for d in setup.devices if not d.card or d.kind == "camera"}
    return {
        p.id: (p.kind, p.device, p.follows, p.shows, p.returns_from)
        for p in setup.parts if p.id in both and p.device in simulated
    }  # fmt: skip


def _leaving(after: Setup, before: Setup) -> Setup:
    """`after` with what has left, and with the inputs of parts that have others now."""
    now = {p.id: p for p in after.parts}
    moved = [p for p in before.parts if p.id in now and _ends(p) != _ends(now[p.id])]
    ghosts = tuple(replace(p, id=f"left-{i}") for i, p in enumerate(moved) if f"left-{i}" not in now)
    setup = together(after, before)
    return replace(setup, parts=(*setup.parts, *ghosts))


def _ends(part: Part) -> tuple[object, ...]:
    return part.device, part.channels
