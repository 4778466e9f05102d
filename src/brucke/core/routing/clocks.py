"""Which device's clock everything follows, and which have one of their own that is matched to it. Pure."""

import math

from ..document.device_kinds import DEVICE_KINDS
from ..document.setup import OF_THIS_COMPUTER, Device, Setup


def sounds_for_real(setup: Setup) -> bool:
    """Whether any of its sound comes from or goes to real equipment."""
    return any(d.card for d in setup.devices if d.kind not in ("camera", "peer"))


def of_this_computer(device: Device) -> bool:
    """Whether the desktop's sound server carries it."""
    return device.card == OF_THIS_COMPUTER or device.card.startswith(f"{OF_THIS_COMPUTER}/")


def _cards(setup: Setup) -> list[Device]:
    return [d for d in setup.devices if d.kind == "interface" and d.card and not of_this_computer(d)]


def other_computers(setup: Setup) -> frozenset[str]:
    """Ids of the devices that are other computers."""
    return frozenset(d.id for d in setup.devices if d.kind == "peer")


def leading_card(setup: Setup) -> Device | None:
    """The sound card that sets the clock: the one that is said to, else the first; none where the sound server does or
    where all are stand-ins."""
    if any(of_this_computer(d) for d in setup.devices):
        return None
    cards = _cards(setup)
    return next((d for d in cards if d.sets_clock), cards[0] if cards else None)


def matched(setup: Setup) -> tuple[Device, ...]:
    """Sound cards whose clock is matched to the one that leads."""
    leads = leading_card(setup)
    return tuple(d for d in _cards(setup) if leads is None or d.id != leads.id)


def other_rate(setup: Setup, device: Device) -> bool:
    """Whether it runs at a rate that neither the engine nor anybody on the way to it carries."""
    if device.kind == "peer" or not DEVICE_KINDS[device.kind].has_rate:
        return False  # another computer says its rate by itself
    return device.rate_hz != setup.rate_hz and device not in matched(setup)


CONVERTER_FRAMES = 47  # that the converter between two clocks has to hear ahead: libsamplerate's medium sinc
MARGIN_S = 0.005  # how late a process without a real-time right may be: measured, see docs/method.md


def set_points(period: int, rate_hz: int, block: int, leading_hz: int) -> tuple[int, int]:
    """(of what comes in, of what goes out) how much later sound of a matched device is, in frames of the leading clock,
    while nothing was late yet; `period` are the frames of the device at a time, `block` those of the engine."""
    least = math.ceil((period + CONVERTER_FRAMES) * max(1.0, leading_hz / rate_hz)) + round(MARGIN_S * leading_hz)
    return least, least + block
