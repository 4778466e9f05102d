"""How the engine's sound reaches a server of the older protocol: a stream of its own for every device, each in its own
clock.

Where only that protocol is spoken the interface leads, and every call, stream and program is a matched device.
"""

from msgspec.structs import replace

from ....core.document.setup import Device, Setup
from ....core.routing.clocks import of_this_computer
from ....core.routing.outside_steps import placed_steps
from ....core.routing.rows import Order
from ..card import CardWiring, matched_wirings, wiring_of_card
from ..server.names import OURS, chosen_ends

WAY = "pulse"  # what PortAudio calls the way to it
LEAST_LATENCY_S = 0.02


def older_wirings(setup: Setup, order: Order) -> tuple[CardWiring | None, tuple[CardWiring, ...]]:
    """(the one that leads, those that are matched to it)."""
    devices = [d for d in setup.devices if of_this_computer(d)]
    interfaces = [d for d in devices if d.kind == "interface"]
    leads = next((d for d in interfaces if d.sets_clock), interfaces[0] if interfaces else None)
    others = [_wiring(setup, order, d) for d in devices if d is not leads]
    return (_wiring(setup, order, leads) if leads is not None else None), (
        *(w for w in others if w.used),
        *matched_wirings(setup, order),
    )


def _wiring(setup: Setup, order: Order, device: Device) -> CardWiring:
    plain = wiring_of_card(setup, order, device)
    listener = next((x for x in setup.listeners if x.device == device.id), None)
    if device.kind == "interface":
        source, sink = chosen_ends(device)
    else:
        source = f"{OURS}in.{device.id}.monitor"
        sent = next((p.seat for p in placed_steps(setup) if p.step.send_device == device.id), "")
        heard = listener.id if listener is not None else sent
        sink = f"{OURS}{heard}.out" if heard else ""
    latency = max(LEAST_LATENCY_S, plain.latency_s)
    return replace(plain, name=WAY, source=source, sink=sink, rate_hz=setup.rate_hz, latency_s=latency)
