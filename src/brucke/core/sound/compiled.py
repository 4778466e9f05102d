"""numba's `njit` for our kernels, made ready without SciPy, and kept compiled for as long as no source changes.

Numba looks for SciPy's linear algebra when it is made ready, which takes a third of a second in every process that
starts; no kernel of ours multiplies matrices, so it is told that there is none. What it keeps of a kernel it holds good
while that kernel's own file stays as it is, whatever changed in those it calls; so all are kept together, under the
state of every file here.
"""

import hashlib
import shutil
import sys
from pathlib import Path
from typing import Any

_LINEAR_ALGEBRA = "scipy.linalg"
_hidden = _LINEAR_ALGEBRA not in sys.modules
if _hidden:
    sys.modules[_LINEAR_ALGEBRA] = None  # type: ignore[assignment]
try:
    import numba.np.arraymath  # noqa: F401  where it looks
    from numba import config, literal_unroll, njit
    from numba.extending import register_jitable
finally:
    if _hidden:
        del sys.modules[_LINEAR_ALGEBRA]

ADDS = {"reassoc", "contract", "nsz"}  # `fastmath` where sums may be reordered; NaN and infinity are still tested

__all__ = ["ADDS", "literal_unroll", "njit", "register_jitable"]


def kept(here: Path) -> Path:
    """Where the kernels of this state of the sources under `here` are kept."""
    seen = hashlib.sha256()
    for file in sorted(here.rglob("*.py")):
        found = file.stat()
        seen.update(f"{file.relative_to(here)} {found.st_size} {found.st_mtime_ns}\n".encode())
    return here / "__pycache__" / f"kernels-{seen.hexdigest()[:16]}"


_folder = kept(Path(__file__).parent)
_settings: Any = config
if not _settings.CACHE_DIR:  # else somebody wants it elsewhere
    for _old in _folder.parent.glob("kernels-*"):
        if _old != _folder:
            shutil.rmtree(_old, ignore_errors=True)
    _settings.CACHE_DIR = str(_folder)
