"""Chains to begin with, and chains as files that are kept and given away.

The values are common practice, no source; the voice's compression is the gentle one of `docs/method.md`.
"""

import hashlib
from pathlib import Path

import msgspec
from msgspec.structs import replace

from ..document.ranges import MAX_NAME, text_problem
from ..document.setup import Setup
from ..edits.chain_edits import Chain, chain_of, set_chain
from ..sound.processors import (
    Band,
    Compressor,
    DeEsser,
    Equaliser,
    Gain,
    Gate,
    HighPass,
    Limiter,
    Multiband,
    NoiseRemoval,
    OutsideStep,
    Processor,
    Thickening,
)
from .setup_problems import chain_problems
from .small_files import FileProblem, read_own, write_own

PRESET_SUFFIX = ".chain.json"
FORMAT, VERSION = "brucke chain", 1


def _equaliser(low: tuple[float, float], *bells: tuple[float, float], high: tuple[float, float]) -> Equaliser:
    """(frequency, gain) of the low shelf, of up to four bells, and of the high shelf."""
    return Equaliser(
        bands=(
            Band(shape="low_shelf", frequency_hz=low[0], gain_db=low[1]),
            *(Band(frequency_hz=hz, gain_db=db, q=1.0) for hz, db in bells),
            Band(shape="high_shelf", frequency_hz=high[0], gain_db=high[1]),
        )
    )


_GENTLE = Compressor(threshold_db=-25, ratio=2, attack_ms=0.1, release_ms=200, make_up_db=12)
OWN: dict[str, Chain] = {
    "speech": (
        NoiseRemoval(), HighPass(frequency_hz=80), Gate(threshold_db=-55, range_db=-12, release_ms=250),
        _equaliser((150, 0), (300, -2), (3500, 2.5), high=(9000, 1)), _GENTLE, DeEsser(), Limiter(ceiling_db=-1.5),
    ),
    "singing": (
        NoiseRemoval(), HighPass(frequency_hz=90), _equaliser((150, 1), (350, -2), (3000, 2), high=(10000, 2)), _GENTLE,
        Thickening(level_db=-14), DeEsser(), Limiter(ceiling_db=-1.5),
    ),
    "bowed": (
        HighPass(frequency_hz=50), _equaliser((180, 1.5), (2600, -2.5), high=(9000, 1)),
        Compressor(threshold_db=-24, ratio=1.8, attack_ms=25, release_ms=300, make_up_db=3), Limiter(ceiling_db=-1.5),
    ),
    "plucked": (
        HighPass(frequency_hz=50), _equaliser((150, 1), (400, -1.5), high=(5000, 2)),
        Compressor(threshold_db=-22, ratio=2.5, attack_ms=20, release_ms=150, make_up_db=3), Limiter(ceiling_db=-1.5),
    ),
    "drums": (
        Gate(threshold_db=-38, attack_ms=0.5, hold_ms=60, release_ms=120, range_db=-18),
        _equaliser((80, 3), (400, -3), (5000, 3), high=(10000, 1)),
        Compressor(threshold_db=-18, ratio=4, attack_ms=8, release_ms=100, make_up_db=3), Limiter(ceiling_db=-1.5),
    ),
    "mix": (
        HighPass(frequency_hz=30),
        Multiband(ratio=1.6, low_threshold_db=-28, middle_threshold_db=-28, high_threshold_db=-34, attack_ms=20),
        Gain(), Limiter(ceiling_db=-1.5),
    ),
}  # fmt: skip


class Preset(msgspec.Struct, frozen=True, kw_only=True, forbid_unknown_fields=True):
    """A chain by name. Its noise removal keeps no profile: noise belongs to a room; its steps outside keep no sockets
    and no time: both belong to equipment."""

    name: str
    chain: tuple[Processor, ...]


def preset_of(setup: Setup, owner: str, name: str) -> Preset:
    chain = tuple(
        replace(p, profile="") if isinstance(p, NoiseRemoval) else p for p in _unplaced(chain_of(setup, owner))
    )
    return Preset(name=name.strip()[:MAX_NAME], chain=chain)


def _unplaced(chain: Chain) -> Chain:
    return tuple(OutsideStep(on=p.on, name=p.name) if isinstance(p, OutsideStep) else p for p in chain)


def apply_preset(setup: Setup, owner: str, chain: Chain) -> Setup:
    """In place of the whole chain. The profile that was taken out of this sound goes on being taken out."""
    first = chain_of(setup, owner)[:1]
    profile = first[0].profile if first and isinstance(first[0], NoiseRemoval) else ""
    known = profile or (setup.profiles[-1].name if setup.profiles else "")
    return set_chain(
        setup, owner, tuple(replace(p, profile=known) if isinstance(p, NoiseRemoval) else p for p in _unplaced(chain))
    )  # fmt: skip


def save_preset(path: Path, preset: Preset) -> None:
    """Errors: OSError."""
    write_own(path, FORMAT, VERSION, "preset", preset)


def load_preset(path: Path) -> Preset:
    """Errors: FileProblem, also for a chain that no sound could have."""
    preset = read_own(path, FORMAT, VERSION, "preset", Preset)
    if not 0 < len(preset.name.strip()) <= MAX_NAME:
        raise FileProblem(f"{path.name}: preset.name: needs 1 to {MAX_NAME} characters")
    if reason := text_problem("name", preset.name):
        raise FileProblem(f"{path.name}: preset.name: {reason}")
    for place, reason in chain_problems(preset.chain, "preset.chain"):
        raise FileProblem(f"{path.name}: {place}: {reason}")
    return preset


class Shelf:
    """The presets that somebody saved, one file each in `folder`."""

    def __init__(self, folder: Path):
        self.folder = folder

    def presets(self) -> list[Preset]:
        """By name; files that are none of ours are left out."""
        found = []
        for path in sorted(self.folder.glob(f"*{PRESET_SUFFIX}")):
            try:
                found.append(load_preset(path))
            except FileProblem:
                continue
        return sorted(found, key=lambda p: p.name.casefold())

    def keep(self, preset: Preset) -> None:
        """In place of one of the same name. Errors: OSError."""
        self.folder.mkdir(parents=True, exist_ok=True)
        save_preset(self._path(preset.name), preset)

    def rename(self, old: str, new: str) -> None:
        """Errors: OSError; FileProblem where there is none of the old name, or already one of the new."""
        new = new.strip()[:MAX_NAME]
        preset = next((p for p in self.presets() if p.name == old), None)
        if preset is None:
            raise FileProblem(f"“{old}” is no longer there")
        if any(p.name == new for p in self.presets()):
            raise FileProblem(f"there is a preset “{new}” already")
        self.keep(replace(preset, name=new))
        self.forget(old)

    def forget(self, name: str) -> None:
        self._path(name).unlink(missing_ok=True)

    def _path(self, name: str) -> Path:
        """Letters and digits of the name, and its whole in numbers, so that no two names share a file."""
        plain = "".join(c if c.isalnum() else "_" for c in name)[:40]
        whole = hashlib.sha256(name.encode()).hexdigest()[:8]
        return self.folder / f"{plain}-{whole}{PRESET_SUFFIX}"
