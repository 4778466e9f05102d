"""What a MIDI message means: a control that is pressed or let go. Pure. MIDI 1.0, as mido reads it."""

from collections.abc import Sequence

# A switch on a controller is on from the middle of its range on (MIDI 1.0, “0–63 off, 64–127 on”; value from memory).
ON_FROM = 64


def midi_control(message: Sequence[int]) -> tuple[str, bool | None] | None:
    """(control, pressed) of the bytes of one message, None for `pressed` where it has no end; None where it is no
    control, or cut off."""
    import mido  # who has no foot switch does not wait for it

    try:
        m = mido.Message.from_bytes(list(message))
    except (ValueError, IndexError, TypeError):
        return None
    if m.type in ("note_on", "note_off"):
        return f"note {m.channel + 1} {m.note}", m.type == "note_on" and m.velocity > 0
    if m.type == "control_change":
        return f"controller {m.channel + 1} {m.control}", m.value >= ON_FROM
    if m.type == "program_change":
        return f"program {m.channel + 1} {m.program}", None
    return None


def lamp_bytes(control: str, on: bool) -> list[int]:
    """The message that lights the lamp of a control, or puts it out; empty where it has none."""
    import mido

    kind, channel, number = control.split()
    value = 127 if on else 0
    if kind == "note":
        return list(mido.Message("note_on", channel=int(channel) - 1, note=int(number), velocity=value).bytes())
    if kind == "controller":
        message = mido.Message("control_change", channel=int(channel) - 1, control=int(number), value=value)
        return list(message.bytes())
    return []
