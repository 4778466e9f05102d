"""The delay estimator against SciPy, its Cramér–Rao bound, sequence and sweep theory, and real spoken words."""

from pathlib import Path

import numpy as np
import pytest
import soundfile as sf
from scipy import signal

from brucke.core.measure.correlation import correlate, find_peak
from brucke.core.measure.offset import known_delay, natural_offset
from brucke.core.measure.stimulus import maximum_length_sequence, stimulus, sweep
from brucke.demo.make_sounds import pluck

from ..conftest import delayed, with_noise

RATE = 48000
SPOKEN = Path("/usr/share/sounds/alsa")  # short spoken words of Debian's alsa-utils, installed by ./run test


def spoken() -> list[np.ndarray]:
    words = [sf.read(p, dtype="float32")[0] for p in sorted(SPOKEN.glob("*_*.wav"))]
    assert len(words) >= 8, "./run test installs alsa-utils"
    return words


def test_plain_correlation_is_that_of_scipy(rng):
    """scipy.signal.correlate, on noise that the band edge leaves alone."""
    b, a = signal.butter(6, 0.7)
    x = signal.lfilter(b, a, rng.standard_normal(3000)).astype(np.float32)
    y = signal.lfilter(b, a, rng.standard_normal(3400)).astype(np.float32)
    ours = correlate(x, y, (-500, 500), rho=0)
    lags = signal.correlation_lags(len(y), len(x))
    theirs = signal.correlate(y.astype(float), x.astype(float))[(lags >= -500) & (lags <= 500)]
    mine = np.array([ours.values[k - ours.first_lag] for k in range(-500, 501)])
    assert np.abs(mine - theirs).max() < 2e-3 * np.abs(theirs).max()


@pytest.mark.parametrize("order", [9, 10, 11, 15])
def test_maximum_length_sequences(order):
    """Rife & Vanderkooy 1989: circular autocorrelation 1 and −1/N. And SciPy's own sequence has the same spectrum."""
    ours = maximum_length_sequence(order).astype(float)
    n = len(ours)
    assert n == 2**order - 1
    circular = np.fft.irfft(np.abs(np.fft.rfft(ours)) ** 2, n) / n
    assert circular[0] == pytest.approx(1)
    assert np.allclose(circular[1:], -1 / n, atol=1e-6)
    theirs = 1.0 - 2.0 * signal.max_len_seq(order)[0]
    assert np.allclose(np.abs(np.fft.rfft(ours)), np.abs(np.fft.rfft(theirs)), rtol=1e-6)


def test_the_sweep_compresses_to_one_sample():
    """Farina 2000: sweep convolved with its time-reversed, −3 dB per octave… inverse is a pulse within its band."""
    s = sweep(RATE).astype(float)
    t = np.arange(len(s)) / RATE
    inverse = s[::-1] * np.exp(-t * np.log(20000 / 60))
    pulse = signal.fftconvolve(s, inverse)
    peak = int(np.argmax(np.abs(pulse)))
    assert peak == len(s) - 1
    beside = np.abs(np.delete(pulse, slice(peak - 48, peak + 49)))
    assert beside.max() < 0.1 * np.abs(pulse[peak])
    # And its frequency grows by equal ratios in equal times.
    phase = np.unwrap(np.angle(signal.hilbert(s)))
    hz = np.diff(phase) * RATE / (2 * np.pi)
    assert hz[RATE // 2] == pytest.approx((60 * 20000) ** 0.5, rel=0.02)


def test_the_error_stays_near_the_cramer_rao_bound(rng):
    """Knapp & Carter 1976: σ² ≥ 1 / (SNR · N · β²) for a known signal in white noise, β the RMS bandwidth in
    rad/frame."""
    sound = stimulus("sequence", RATE, -12)
    for snr_db in (10, 0):
        errors = []
        for _ in range(24):
            true = 300 + rng.uniform(0, 50)
            heard = with_noise(delayed(sound, true, len(sound) + 2000), snr_db, rng, sound)
            errors.append(known_delay(sound, heard, RATE, 0.03)[0].lag - true)
        spectrum = np.abs(np.fft.rfft(sound)) ** 2
        omega = np.linspace(0, np.pi, len(spectrum))
        used = omega <= 0.44 * 2 * np.pi
        beta2 = np.sum(omega[used] ** 2 * spectrum[used]) / np.sum(spectrum)
        bound = 1 / np.sqrt(10 ** (snr_db / 10) * len(sound) * beta2)
        assert np.std(errors) < 2 * bound + 1e-3
        assert abs(np.mean(errors)) < 0.02


@pytest.mark.parametrize(("kind", "clean", "noisy"), [("sweep", 0.02, 0.05), ("sequence", 0.02, 0.05)])
def test_known_sounds_meet_the_budget(kind, clean, noisy, rng):
    sound = stimulus(kind, RATE, -12)
    for budget, snr in ((clean, None), (noisy, 0)):
        errors = []
        for _ in range(20):
            true = rng.uniform(100, 9000)
            heard = 0.3 * delayed(sound, true, 3 * RATE)
            if snr is not None:
                heard = with_noise(heard, snr, rng, 0.3 * sound)
            errors.append(abs(known_delay(sound, heard, RATE, 1.5)[0].lag - true))
        assert np.percentile(errors, 95) <= budget


def test_real_spoken_words_and_music_at_0_db_meet_the_budget(rng, sources):
    words = spoken()
    for name in ("speech", "music"):
        errors = []
        for i in range(20):
            if name == "speech":
                sound = np.concatenate([words[k] for k in rng.permutation(len(words))[:5]])
            else:
                start = rng.integers(13 * RATE, 40 * RATE)
                sound = sources[("harp", "voice", "cello")[i % 3]][start : start + 5 * RATE]
            true = rng.uniform(0, 60_000)
            heard = rng.uniform(0.1, 1.2) * delayed(sound, true, len(sound) + 66_000)
            heard = with_noise(heard, 0, rng, heard[int(true) : int(true) + len(sound)])
            found = natural_offset(sound, heard, RATE)
            assert found.match, (name, i, found.reason)
            errors.append(abs(found.frames - true))
        assert np.percentile(errors, 95) <= 0.5, name


def pattern(bank, rng, seconds):
    """Another pattern of the very same samples on a regular grid: what fools a peak."""
    out = np.zeros(int(seconds * RATE) + 2 * RATE, np.float32)
    step = int(RATE * 60 / rng.choice([90, 100, 120]) / 2)
    for at in range(0, int(seconds * RATE), step):
        if rng.random() < 0.8:
            sample = bank[rng.integers(len(bank))]
            out[at : at + len(sample)] += sample * rng.uniform(0.5, 1)
    return out[: int(seconds * RATE)]


def test_unrelated_material_is_no_match_even_patterns_of_one_instrument(rng):
    """Sixty pairs here; the thousand of the acceptance run in `./run bench refuse`, which prints its count."""
    harp = [pluck(m, 1.0, np.random.default_rng(m), 0.55).astype(np.float32) for m in (50, 54, 57, 62, 66, 69)]
    words = spoken()
    for i in range(60):
        if i % 3 == 2:
            order = rng.permutation(len(words))
            a, b = np.concatenate([words[k] for k in order[:4]]), np.concatenate([words[k] for k in order[4:8]])
        else:
            a, b = pattern(harp, rng, 5.5), pattern(harp, rng, 5.5)
        assert not natural_offset(a, b, RATE).match


def test_partial_whitening_is_what_makes_a_bowed_string_findable(rng, sources):
    """The design's choice held against both ends: ρ = 0.7 is never worse than ρ = 0 or full PHAT on the cello at 0
    dB."""
    cello = sources["cello"][20 * RATE : 24 * RATE]
    errors = {rho: [] for rho in (0.0, 0.7, 1.0)}
    for _ in range(8):
        true = rng.uniform(0, 2000)
        heard = with_noise(delayed(cello, true, len(cello) + 3000), 0, rng, cello)
        for rho in errors:
            errors[rho].append(abs(find_peak(correlate(cello, heard, (0, 3000), rho=rho), RATE).lag - true))
    ours = np.median(errors[0.7])
    assert ours <= np.median(errors[0.0]) + 0.01
    assert ours <= np.median(errors[1.0]) + 0.01
    assert ours < 0.2
