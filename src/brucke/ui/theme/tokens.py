"""Every colour, size and distance that is painted. Frozen; light paper and night stage; one text scale."""

import msgspec
from msgspec.structs import replace

PART_LIGHT = ("#17695E", "#8B2F6B", "#5B4B9A", "#3E5C89", "#735A0B", "#6F4A2F", "#4B6B2F", "#5B5B5B")
PART_NIGHT = ("#5CC4B4", "#DE8FC2", "#AFA0EC", "#93B4E4", "#D6B44C", "#CFA27C", "#A3C97C", "#B4B4B4")


class Tokens(msgspec.Struct, frozen=True):
    """Colours as #RRGGBB. `scale` is the text scale; every distance grows with it."""

    name: str = "light"
    paper: str = "#F5F2EA"
    card: str = "#FCFAF5"
    ink: str = "#1D2B33"
    mute: str = "#566469"
    line: str = "#D6D0C2"
    edge: str = "#857F6F"
    water: str = "#0E5A6B"
    on_water: str = "#FCFAF5"
    tint: str = "#DCE9EA"
    coral: str = "#B5391F"
    amber: str = "#835200"
    meter: str = "#3F474C"
    trough: str = "#D6D0C2"
    parts: tuple[str, ...] = PART_LIGHT
    scale: float = 1.0

    def px(self, value: float) -> float:
        """A distance of the drawings at this text scale."""
        return value * self.scale

    def part(self, colour: int) -> str:
        return self.parts[colour % len(self.parts)]

    def scaled(self, scale: float) -> "Tokens":
        return replace(self, scale=scale)


LIGHT = Tokens()
NIGHT = Tokens(
    name="night", paper="#12191D", card="#1A2429", ink="#E9E4D8", mute="#93A1A6", line="#2E3B41", edge="#6E7F86",
    water="#5FB3C4", on_water="#12191D", tint="#1E3A42", coral="#FF8A6E", amber="#E0AE4A", meter="#C9C4B8",
    trough="#2E3B41", parts=PART_NIGHT,
)  # fmt: skip
SCALES = (1.0, 1.15, 1.3, 1.5, 1.75)


def mixed(a: str, b: str, share: float) -> str:
    """`share` of b in a."""
    pairs = [(int(a[i : i + 2], 16), int(b[i : i + 2], 16)) for i in (1, 3, 5)]
    return "#" + "".join(f"{round(x + (y - x) * share):02X}" for x, y in pairs)


def contrast(a: str, b: str) -> float:
    """Contrast ratio of WCAG 2.2 (relative luminance of sRGB)."""

    def luminance(colour: str) -> float:
        total = 0.0
        for i, weight in ((1, 0.2126), (3, 0.7152), (5, 0.0722)):
            c = int(colour[i : i + 2], 16) / 255
            total += weight * (c / 12.92 if c <= 0.04045 else ((c + 0.055) / 1.055) ** 2.4)
        return total

    high, low = sorted((luminance(a), luminance(b)), reverse=True)
    return (high + 0.05) / (low + 0.05)


# What text and marks stand on: (foreground, ground, least ratio). The contrast test goes through these.
PAIRS = (
    *((ink, ground, 4.5) for ink in ("ink", "mute", "water", "coral", "amber") for ground in ("paper", "card")),
    *((ink, "tint", 4.5) for ink in ("ink", "water", "coral", "mute")),
    ("on_water", "water", 4.5),
    ("edge", "paper", 3.0),
    ("edge", "card", 3.0),
    ("water", "card", 3.0),
    ("meter", "trough", 3.0),
    ("coral", "card", 3.0),
)
