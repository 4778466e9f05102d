"""What a part's chain can hold: one file each, and one line here. Their order is the one they are offered in."""

from typing import get_args

from .base import MAX_PLUG_INS, MAX_SLOTS, Range, held
from .compressor import Compressor
from .de_esser import DeEsser
from .equaliser import MAX_BANDS, Band, Equaliser
from .gain import Gain
from .gate import Gate
from .high_pass import HighPass
from .limiter import Limiter
from .multiband import Multiband
from .noise_removal import NoiseRemoval
from .outside_step import MAX_OUTSIDE, OutsideStep
from .plug_in import MAX_PLUG_IN_FRAMES, PlugIn, PlugInParameter
from .thickening import Thickening

Processor = (
    PlugIn
    | NoiseRemoval
    | HighPass
    | Gate
    | Equaliser
    | Compressor
    | Multiband
    | Thickening
    | DeEsser
    | Gain
    | Limiter
    | OutsideStep
)
KINDS: tuple[type[Processor], ...] = get_args(Processor)
RANGES = {kind.__name__: kind.RANGES for kind in (*KINDS, Band)}

__all__ = [
    "KINDS", "MAX_BANDS", "MAX_OUTSIDE", "MAX_PLUG_INS", "MAX_PLUG_IN_FRAMES", "MAX_SLOTS", "RANGES", "Band",
    "Compressor", "DeEsser", "Equaliser", "Gain", "Gate", "HighPass", "Limiter", "Multiband", "NoiseRemoval",
    "OutsideStep", "PlugIn", "PlugInParameter", "Processor", "Range", "Thickening", "code_of", "held",
]  # fmt: skip


def code_of(kind: type[Processor]) -> int:
    """What stands for a kind in a plan; 0 is no processor."""
    return KINDS.index(kind) + 1
