"""Kernels, and how they are kept."""

import os
import shutil
from pathlib import Path

from brucke.core.sound import compiled
from brucke.core.sound.compiled import kept

SOURCE = Path(compiled.__file__).parent


def test_kernels_are_kept_for_one_state_of_all_sources_only(tmp_path):
    """Also when a file is changed that the kernel's own only calls, and when one comes."""
    shutil.copytree(SOURCE, tmp_path / "sound", ignore=shutil.ignore_patterns("__pycache__"))
    first = kept(tmp_path / "sound")
    assert kept(tmp_path / "sound") == first
    os.utime(tmp_path / "sound" / "processors" / "gate.py", (0, 0))
    second = kept(tmp_path / "sound")
    (tmp_path / "sound" / "processors" / "new.py").write_text("")
    assert len({first, second, kept(tmp_path / "sound")}) == 3
