"""The headphone check: what was heard of a tone on the left and one on the right, and what that says. Pure."""

from typing import Literal

Answer = Literal["left", "right", "both", "nowhere"]
Fault = Literal["reversed", "one_sound", "silent", "left_silent", "right_silent", "loud", "wireless", "late"]
ANSWERS: tuple[Answer, ...] = ("left", "right", "both", "nowhere")
LATE_S = 0.06  # a way to the ear that a wire does not take (common practice, no source)


def faults(left: Answer, right: Answer, too_loud: bool, wireless: bool, way_s: float | None) -> tuple[Fault, ...]:
    """What is wrong, the worst first; nothing where the tone on the left was heard left and the one on the right right.
    `way_s` is what is known of the way from here to the ear."""
    found: list[Fault] = []
    if left == right == "nowhere":
        found.append("silent")
    elif "nowhere" in (left, right):
        found.append("left_silent" if left == "nowhere" else "right_silent")
    elif (left, right) == ("right", "left"):
        found.append("reversed")
    elif (left, right) != ("left", "right"):
        found.append("one_sound")
    if too_loud:
        found.append("loud")
    if wireless:
        found.append("wireless")
    elif way_s is not None and way_s > LATE_S:
        found.append("late")
    return tuple(found)
