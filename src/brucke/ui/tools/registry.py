"""Every tool, in the order of the keys. A new one is its dialog with its record, and a line here."""

from .buffer_dialog import BUFFER
from .clocks_dialog import CLOCK_WATCH
from .film_dialog import FILM
from .flash_dialog import FLASH
from .hand_off_dialog import HAND_OFF
from .path_dialog import CLEAN_PATH
from .slate import SLATE
from .stages_dialog import STAGES
from .tool import Tool
from .two_computers_dialog import TWO_COMPUTERS
from .voice_dialog import VOICE_MUSIC
from .what_if_dialog import WHAT_IF

TOOLS: tuple[Tool, ...] = (
    FILM, SLATE, FLASH, VOICE_MUSIC, BUFFER, WHAT_IF, STAGES, CLEAN_PATH, CLOCK_WATCH, HAND_OFF, TWO_COMPUTERS,
)  # fmt: skip
