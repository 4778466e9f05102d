"""Why nothing was measured, and what to do about it."""

from .detail import choose
from .translation import _

MEASURE_REFUSALS = {
    "silence": _("nothing came back. Is the cable plugged, or the headphone held to the microphone, and the input "
                 "turned up?"),
    "clipped": _("the input clips. Turn the microphone's knob down, or measure at a lower level."),
    "no_match": _("no match: what came back is not the measuring sound. Check the cable and the level, and keep the "
                  "room quiet."),
    "two_arrivals": _("two arrivals of the same strength, {second_ms:.1f} ms apart. Is direct monitoring left on? "
                      "Switch it off."),
    "disagree": _("the repeats disagree{spread}. Something in between changes its latency; close other programs and "
                  "measure again."),
    "lost": _("sound was lost in the middle, again and again{lost}. Something keeps this computer too busy; end it, "
              "or take larger buffers."),
    "on_air": _("they hear you. Nothing is measured while others listen; F9 first."),
    "changed": _("what it was to be measured of was changed in the middle. Nothing was kept; measure again."),
    "cancelled": _("stopped. Nothing was kept."),
    "no_capture": _("no part comes in on this interface, so there is nothing to measure with."),
    "engine": _("the engine stopped in the middle. Start again."),
    "not_running": _("nothing is running yet. Start first (F5)."),
}  # fmt: skip


def refusal_text(code: str, values: dict[str, float]) -> str:
    spread = choose("", _(" by {n:.1f} frames").format(n=values.get("spread_frames", 0.0)))
    lost = choose("", _(" ({n:.0f} blocks)").format(n=values.get("lost", 0.0)))
    return _("Not measured: ") + MEASURE_REFUSALS[code].format(**{**values, "spread": spread, "lost": lost})
