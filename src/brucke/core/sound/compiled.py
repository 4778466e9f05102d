"""numba's `njit` for our kernels, made ready without SciPy.

Numba looks for SciPy's linear algebra when it is made ready, which takes a third of a second in every process that
starts; no kernel of ours multiplies matrices, so it is told that there is none.
"""

import sys

_LINEAR_ALGEBRA = "scipy.linalg"
_hidden = _LINEAR_ALGEBRA not in sys.modules
if _hidden:
    sys.modules[_LINEAR_ALGEBRA] = None  # type: ignore[assignment]
try:
    import numba.np.arraymath  # noqa: F401  where it looks
    from numba import njit
finally:
    if _hidden:
        del sys.modules[_LINEAR_ALGEBRA]

__all__ = ["njit"]
