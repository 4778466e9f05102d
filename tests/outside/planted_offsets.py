"""Two recordings of which it is known how much later the second is, ms."""

import numpy as np

from .planted import (
    RATE,
    Case,
    Cases,
    claps,
    demo,
    drums,
    jumped,
    late,
    looped,
    noisy,
    notes,
    other_clock,
    pair,
    pattern,
    performance,
    room,
    speech,
    telephone,
    tune,
)  # fmt: skip


def stretch(name: str, at_s: float, seconds: float = 9.0) -> np.ndarray:
    return demo(name)[round(at_s * RATE) :][: round(seconds * RATE)]


def offset_cases() -> list[Case]:
    cases = Cases(0)
    case = cases.add

    def late_by(sound, ms, change=None):
        return pair(sound, lambda s: late(s, ms / 1e3), change)

    case("speech", late_by(lambda r: speech(8, r), 312.0), 312.0)
    case("speech, noise as loud", late_by(lambda r: speech(10, r), -140.0, lambda x, r: noisy(x, 0, r)), -140.0)
    case("voice of the demo, room", late_by(lambda r: stretch("voice", 12), 45.0, room), 45.0)
    case(
        "cello of the demo, noise", late_by(lambda r: stretch("cello", 20), 1200.0, lambda x, r: noisy(x, 6, r)), 1200.0
    )
    case("harp, telephone", late_by(lambda r: stretch("harp", 20), -870.0, lambda x, r: telephone(x)), -870.0)
    case("tune, noise 12 dB above", late_by(lambda r: tune(20, r), 80.0, lambda x, r: noisy(x, -12, r)), 80.0)
    case("drums, even", late_by(lambda r: drums(12, r), 700.0), 700.0)
    case("speech, very soft", late_by(lambda r: speech(8, r), 20.0, lambda x, r: 0.003 * x), 20.0)
    case("speech, clipped", late_by(lambda r: speech(8, r), 20.0, lambda x, r: np.clip(8 * x, -0.3, 0.3)), 20.0)
    case("speech, near the edge of the range", late_by(lambda r: speech(12, r), -1950.0), -1950.0)
    case("upside down", late_by(lambda r: speech(8, r), 260.0, lambda x, r: -0.5 * x), 260.0)
    case("upside down, in a room", late_by(lambda r: tune(12, r), -60.0, lambda x, r: -room(x, r)), -60.0)
    case("one clap", lambda r: (lambda c: (c, noisy(room(late(c, 0.33), r), 30, r)))(claps([2.0], 6, r)), 330.0)
    case(
        "three claps", lambda r: (lambda c: (c, noisy(room(late(c, -0.2), r), 30, r)))(claps([1, 2.3, 4], 6, r)), -200.0
    )
    for seconds, ppm in ((20, 100), (30, -60), (45, 100), (60, 30), (90, 100), (90, -100), (90, 5), (60, -40)):
        case(
            f"two clocks, {ppm} ppm, {seconds} s",
            lambda r, s=seconds, p=ppm: (lambda x: (x, noisy(other_clock(late(x, 0.15), p), 20, r)))(
                speech(s, r) + 0.5 * tune(s, r)
            ),
            150.0,
        )
    case("a weaker echo", late_by(lambda r: speech(10, r), 100.0, lambda x, r: x + 0.5 * late(x, 0.18)), 100.0)
    # In these nobody could be sure.
    for period, ms in ((3.0, 2600.0), (1.0, 300.0), (0.5, -200.0), (2.0, 1500.0), (3.0, 900.0)):
        case(f"a loop of {period:g} s", lambda r, p=period, m=ms: (lambda x: (x[10 * RATE :][: 12 * RATE],
            noisy(x[10 * RATE - round(m * RATE / 1e3) :][: 12 * RATE], 25, r)))(looped(p, 30, r)), ms,
            False)  # fmt: skip
    for gain, gap in ((1.4, 0.12), (2.0, 0.3), (1.2, 0.05), (3.0, 0.6)):
        case(f"a second arrival {gain:g} times as loud", late_by(lambda r: speech(10, r), 100.0, lambda x, r, g=gain,
            d=gap: 0.4 * (x + g * late(x, d))), 100.0, False)  # fmt: skip
    case("a jump halfway", lambda r: (lambda x: (x, jumped(late(x, 0.1), 8, 0.25)))(speech(16, r)), 100.0, False)
    case("a piece lost halfway", lambda r: (lambda x: (x, jumped(late(x, 0.4), 10, -0.3)))(tune(20, r)), 400.0, False)
    for ms in (2300.0, -3000.0, 5000.0, -2010.0):
        case(f"beyond the range, {ms:g} ms", late_by(lambda r: speech(14, r), ms), ms, False)
    case("a steady tone", lambda r: (lambda x: (x, noisy(late(x, 0.1), 30,
        r)))((0.3 * np.sin(2 * np.pi * 440 * np.arange(8 * RATE) / RATE)).astype(np.float32)), 100.0,
        False)  # fmt: skip
    case("one note again and again", lambda r: (lambda x: (x, late(x, 0.75)))(np.tile(notes(np.array([0.0]), 0.5, r),
        20)), 750.0, False)  # fmt: skip
    for k in range(4):
        case(f"two speeches {k}", lambda r: (speech(9, r), speech(9, r)), None, False)
        case(f"two patterns of one instrument {k}", lambda r: (pattern(8, r), pattern(8, r)), None, False)
        case(
            f"the same song played twice {k}",
            lambda r, k=k: (performance(15, k, r), performance(15, k, r)),
            None,
            False,
        )
    case("two claps of two rooms", lambda r: (claps([2.0], 6, r), claps([2.4], 6, r)), None, False)
    case("two noises", lambda r: tuple((0.1 * r.standard_normal((2, 8 * RATE))).astype(np.float32)), None, False)
    return cases
