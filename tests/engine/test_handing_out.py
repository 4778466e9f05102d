"""What a block leaves for others, by the kernel that copies it, against the same in plain NumPy."""

import numpy as np

from brucke.core.sound.publish_block import hand_out
from brucke.engine.processes.active_rows import Lingering

P, L, C, N, FRAMES, CHAINED = 3, 2, 4, 16, 64, 48


def test_everything_arrives_where_it_belongs_and_nothing_else_changes():
    dice = np.random.default_rng(3)

    def some(*shape):
        return dice.standard_normal(shape).astype(np.float32)

    given = [some(P, 4, 2), some(L, C, 2), some(P + L, 3, 4), some(5), np.arange(5), some(L)]
    told = [np.zeros_like(x) for x in given]
    told[5][:] = some(L)
    highest, kept = np.maximum(told[5], given[5]), told[5][0]
    born, listeners_born = np.array([5, -9, 40]), np.array([7, 2])
    told_born = np.array([0, 100, 0, 0, 200])
    rows, heard = np.array([0, 2], np.int32), np.array([1], np.int32)
    raw, outs, shaped, unfinished = some(P, 4, N), some(L, C, N), some(P, 2, N), some(L, C, N)
    record, chained = some(P * 4 + L * C, FRAMES), some(P + L, 2, CHAINED)
    want_record, want_chained = record.copy(), chained.copy()
    everything = np.concatenate([raw.reshape(-1, N), outs.reshape(-1, N)])
    written = [*range(4), *range(8, 12), *range(16, 20)]
    want_record[written, 32:48] = everything[written]
    want_chained[[0, 2, 4], :, 16:32] = np.concatenate([shaped, unfinished[:, :2]])[[0, 2, 4]]
    bad = hand_out(
        rows, heard, *given, *told, born, listeners_born, told_born, 100, raw, outs, record, 32, shaped, unfinished,
        chained, 16,
        np.array([1, 0, 2]), np.array([0, 4]),
    )  # fmt: skip
    assert bad == 7
    for these, before, after in zip((rows, heard, [0, 2, 4], range(5), range(5)), given[:5], told[:5], strict=True):
        assert np.array_equal(before[these], after[these])
    assert not any(x.any() for x in (told[0][1], told[1][0], told[2][[1, 3]])), "the rest is left alone"
    assert told[5][1] == highest[1]
    assert told[5][0] == kept, "nobody asked for it"
    assert not given[5][1], "they begin anew"
    assert told_born.tolist() == [105, 100, 140, 0, 200]
    assert np.array_equal(record, want_record)
    assert np.array_equal(chained, want_chained)


def test_whoever_has_left_is_handed_out_as_silence_for_one_ring():
    three, two = np.array([0, 1, 3], np.int32), np.array([0, 3], np.int32)
    lingering = Lingering(4, 1000)
    assert lingering.rows(three, 128).tolist() == [0, 1, 2, 3], "an earlier engine may have left sound anywhere"
    assert lingering.rows(three, 1000).tolist() == [0, 1, 3]
    assert lingering.rows(three, 5000).tolist() == [0, 1, 3]
    assert lingering.rows(two, 5128).tolist() == [0, 1, 3]
    assert lingering.rows(two, 6127).tolist() == [0, 1, 3]
    assert lingering.rows(two, 6128).tolist() == [0, 3]
    assert lingering.rows(three, 6256).tolist() == [0, 1, 3], "and is at once there again"
