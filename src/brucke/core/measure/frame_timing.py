"""When pictures would have come had the computer not been busy: a camera gives them at its own pace, and whoever takes
them is late now and then.

One that waited is followed by the next ones at once, so none was due later than those after it allow.
"""

import numpy as np
import numpy.typing as npt

F64 = npt.NDArray[np.float64]
LONGEST_S = 0.4  # so long a computer may be held up
OVER = 30  # pictures over which the pace is taken: few enough that most of them have none left out
# of the usual time from one to the next, that a third may differ: held up or left out, not slower in the dark
EVEN = 0.15


def due(came_s: F64) -> tuple[F64, float]:
    """(when each picture was due, how well that is known: 95 %, s), of times [n], rising, at which they came; as they
    came where the pace is not even."""
    third = len(came_s) // 3
    if third < 2:
        return came_s, 0.0
    period = float(np.median(_paces(came_s, min(OVER, third))))
    # The middle step of a third is wrong where most came in heaps, its mean where one stall is long; a camera that
    # slows down changes both.
    thirds = np.array([(np.median(part), part.mean()) for part in np.array_split(np.diff(came_s), 3)])
    if period <= 0 or np.abs(thirds - period).min(axis=1).max() > EVEN * period:
        return came_s, max(0.0, period) / 2
    due_s = came_s.copy()
    for ahead in range(1, min(len(came_s) - 1, int(LONGEST_S / period)) + 1):
        due_s[:-ahead] = np.minimum(due_s[:-ahead], came_s[ahead:] - ahead * period)
    return due_s, float(np.quantile(np.abs(np.diff(due_s) - period), 0.95))


def _paces(came_s: F64, over: int) -> F64:
    return (came_s[over:] - came_s[:-over]) / over
