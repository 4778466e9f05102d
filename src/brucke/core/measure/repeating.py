"""After how long a sound is itself again, as a loop is: then every lag may as well be one period more."""

import numpy as np

from .correlation import F32, PAD, correlate

ALIKE, ALIKE_WHITENED = 0.85, 0.2  # so much of what is compared
LONGEST_S = 10.0


def period_s(low: F32, rate_hz: int) -> float:
    """Seconds after which the sound is nearly itself again, or 0. `low` [frames] is a sound of about 12 to 16 kHz."""
    first, last = rate_hz // 20, min(round(LONGEST_S * rate_hz), len(low) * 3 // 4)
    if last <= first:
        return 0.0
    plain = correlate(low, low, (first, last), rho=0).values[PAD:-PAD]
    energy = np.concatenate([[0.0], np.cumsum(low.astype(np.float64) ** 2)])
    lags = np.arange(first, last + 1)
    overlap = np.sqrt(energy[len(low) - lags] * (energy[-1] - energy[lags]))
    # Where hardly anything of it is left to compare, being alike says nothing.
    alike = np.where(overlap > 0.05 * energy[-1], plain / np.maximum(overlap, 1e-12), 0.0)
    if alike.max(initial=0.0) <= ALIKE:
        return 0.0
    # Two periods later it is as alike: the first counts.
    early = int(np.argmax(alike >= alike.max() - 0.03))
    best = early + int(np.argmax(alike[early : early + max(1, rate_hz // 100)]))
    # A note that is held is alike a moment later, too; what repeats itself is so in its fine structure.
    lag = int(lags[best])
    fine = np.abs(correlate(low, low, (0, lag + 2)).values[PAD:-PAD])
    share = float(overlap[best]) / float(energy[-1])
    return lag / rate_hz if fine[lag - 2 :].max() > ALIKE_WHITENED * share * fine[0] else 0.0
