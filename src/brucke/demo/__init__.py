"""The Nightboat hour: a singer with a cello, an hour of songs during a night ferry crossing."""

from pathlib import Path

FOLDER = Path(__file__).parent
SETUP = FOLDER / "nightboat.brucke.json"
