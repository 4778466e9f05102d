"""A staircase against simulated ears, and voice and music put together as they would be heard."""

import numpy as np
import pytest
from scipy import stats

from brucke.core.measure.preview_mix import clicks, together
from brucke.core.measure.threshold import CHANCE, LEAST_MS, MOST_MS, Staircase


def listened(rng, heard):
    """A whole comparison by an ear that is right with probability heard(ms)."""
    s = Staircase()
    while not s.done:
        s = s.answered(bool(rng.random() < heard(s.ms)))
    return s


@pytest.mark.parametrize("threshold", [8.0, 25.0, 80.0])
def test_a_staircase_finds_where_an_ear_is_right_in_seven_of_ten(threshold):
    """Levitt 1971: two down, one up closes in on 70.7 % of correct answers; the ear here is a cumulative normal of log
    distance (value derived with SciPy)."""
    spread = 0.5
    at = stats.norm.ppf((CHANCE - 0.5) / 0.5)

    def heard(ms):
        return 0.5 + 0.5 * stats.norm.cdf(np.log(ms / threshold) / spread + at)

    rng = np.random.default_rng(round(threshold))
    found = [listened(rng, heard) for _ in range(200)]
    assert np.exp(np.mean(np.log([s.threshold_ms for s in found]))) == pytest.approx(threshold, rel=0.2)
    inside = np.mean([s.between_ms[0] <= threshold <= s.between_ms[1] for s in found])
    assert inside > 0.75, "six turns that hang together tell a little less than they seem to"
    assert np.median([s.asked for s in found]) < 45


def test_an_ear_that_hears_nothing_or_everything_is_said_to():
    deaf, perfect = Staircase(), Staircase()
    while not deaf.done:
        deaf = deaf.answered(False)
    while not perfect.done:
        perfect = perfect.answered(True)
    assert deaf.never_heard
    assert deaf.ms == MOST_MS
    assert not perfect.never_heard
    assert perfect.between_ms == (0.0, LEAST_MS)


def test_the_voice_is_moved_by_what_is_said_and_nothing_is_too_loud():
    rate = 48_000
    low, high = clicks(rate)
    for ms in (-120, -1, 0, 35, 200):
        late = np.roll(low, round(ms * rate / 1e3))  # a voice that is that much late
        mended = together(late, high, ms / 1e3, rate)
        assert mended == pytest.approx(together(low, high, 0.0, rate), abs=1e-5)
        assert np.abs(mended).max() <= 0.4001
    assert np.isfinite(together(np.zeros(100, np.float32), high, 0.0, rate)).all()
