"""The one action that mends a finding, as an edit of the setup; None where a hand or a measurement has to do it."""

from ..document.setup import Setup
from ..edits.listener_edits import change_listener
from ..edits.part_edits import change_part, remove_part, set_mode, set_trim
from ..edits.route_edits import allow_own_return, change_device, let_lead, nudge_gains, set_gain, set_on, switch
from ..findings import Finding
from ..timing.align import align
from ..timing.paths import Situation

LOUD_ENOUGH_DB = -12.0
SPARE_DB = 1.0
# Findings that a hand, a cable or a measurement mends, and the action of the window that leads there.
BY_HAND = {
    "device_missing": "gather", "input_clips": "gather", "bleed": "gather", "may_sleep": "check", "disk_full": "check",
    "not_measured": "measure", "stale": "measure", "unconfirmed": "confirm", "picture_first": "align", "at_limit": "align", "muted": "unmute", "cycle": "gather",
    "delay_too_long": "align", "not_aligned": "align",
}  # fmt: skip


def mended(known: Situation, f: Finding) -> Setup | None:
    """The setup without what `f` found."""
    after = _mended(known, f)
    return None if after == known.setup else after


def _mended(known: Situation, f: Finding) -> Setup | None:
    setup = known.setup
    match f.code:
        case "other_rate":
            return change_device(setup, f.device, rate_hz=setup.rate_hz)
        case "buffer_small" | "buffer_large" | "own_sound_late":
            return change_device(setup, f.device, buffer_frames=setup.block_frames, buffers=2)
        case "no_clock":
            return let_lead(setup, f.device)
        case "wireless":
            return change_device(setup, f.device, wireless=False)
        case "no_signal":
            return change_part(setup, f.part, quiet=True)
        case "trim_clips":
            over = float(f.values["over_db"]) + SPARE_DB
            return set_trim(setup, f.part, setup.part(f.part).trim_db - over)
        case "one_sided":
            return set_mode(setup, f.part, f"{f.values['side']} to both")
        case "cancels_in_mono":
            return set_mode(setup, f.part, "left to both")
        case "everything":
            return remove_part(setup, f.part)
        case "loop" | "doubled":
            return set_on(setup, f.part, f.listener, False)
        case "own_return":
            return allow_own_return(setup, f.part, f.listener, False)
        case "hears_nothing":
            return _let_hear(setup, f.listener)
        case "player_missing":
            return set_on(setup, f.part, f.listener, True)
        case "lead_not_heard":
            return set_on(setup, str(f.values["lead"]), f.listener, True)
        case "does_not_hear_itself":
            return set_on(setup, f.part, f.listener, True)
        case "second_track":
            return change_listener(setup, f.listener, channels=2)
        case "sum_clips":
            over = float(f.values["over_db"]) + SPARE_DB
            return nudge_gains(setup, [(p.id, f.listener) for p in setup.parts], -over)
        case "faint":
            return set_gain(setup, f.part, f.listener, LOUD_ENOUGH_DB)
        case "out_of_step":
            return align(known)
        case _:
            return None


def _let_hear(setup: Setup, listener: str) -> Setup:
    """Everything that sets the beat or plays along; for a monitor, what sets the beat is enough."""
    kinds = ("lead",) if setup.listener(listener).kind == "monitor" else ("lead", "follower")
    return switch(setup, [(p.id, listener) for p in setup.parts if p.kind in kinds and p.source != "count_in"], True)
