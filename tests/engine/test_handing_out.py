"""What a block leaves for others, by the kernel that copies it, against the same in plain NumPy."""

import numpy as np

from brucke.core.sound.handing_out import hand_out

P, L, C, N, FRAMES, CHAINED = 3, 2, 4, 16, 64, 48


def test_everything_arrives_where_it_belongs_and_nothing_else_changes():
    dice = np.random.default_rng(3)

    def some(*shape):
        return dice.standard_normal(shape).astype(np.float32)

    given = [some(P, 4, 2), some(L, C, 2), some(P + L, 3, 4), some(5), np.arange(5), some(L)]
    told = [np.zeros_like(x) for x in given]
    told[5][:] = some(L)
    highest = np.maximum(told[5], given[5])
    born, listeners_born = np.array([5, -9, 40]), np.array([7, 2])
    told_born = np.array([0, 100, 0, 0, 200])
    raw, outs, shaped, unfinished = some(P, 4, N), some(L, C, N), some(P, 2, N), some(L, C, N)
    record, chained = some(P * 4 + L * C, FRAMES), some(P + L, 2, CHAINED)
    want_record, want_chained = record.copy(), chained.copy()
    want_record[:, 32:48] = np.concatenate([raw.reshape(-1, N), outs.reshape(-1, N)])
    want_chained[:, :, 16:32] = np.concatenate([shaped, unfinished[:, :2]])
    pairs = [x for pair in zip(given, told, strict=True) for x in pair]
    bad = hand_out(
        *pairs, born, listeners_born, told_born, 100, raw, outs, record, 32, shaped, unfinished, chained, 16,
        np.array([1, 0, 2]), np.array([0, 4]),
    )  # fmt: skip
    assert bad == 7
    for before, after in zip(given[:5], told[:5], strict=True):
        assert np.array_equal(before, after)
    assert np.array_equal(told[5], highest)
    assert not given[5].any(), "they begin anew"
    assert told_born.tolist() == [105, 100, 140, 107, 200]
    assert np.array_equal(record, want_record)
    assert np.array_equal(chained, want_chained)
