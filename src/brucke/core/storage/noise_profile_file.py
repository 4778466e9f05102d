"""A noise profile as a file of its own, so that it can be kept and given away."""

from pathlib import Path

from ..sound.noise_profile import NoiseProfile, profile_problems
from .small_files import FileProblem, read_own, write_own

PROFILE_SUFFIX = ".noise.json"
FORMAT, VERSION = "brucke noise profile", 1


def save_profile(path: Path, profile: NoiseProfile) -> None:
    """Errors: OSError."""
    write_own(path, FORMAT, VERSION, "profile", profile)


def load_profile(path: Path) -> NoiseProfile:
    """Errors: FileProblem, also for numbers that no noise has."""
    profile = read_own(path, FORMAT, VERSION, "profile", NoiseProfile)
    for place, reason in profile_problems(profile):
        raise FileProblem(f"{path.name}: {place}: {reason}")
    return profile
