"""The JSON of twenty calls as it was before the rooms were moved: the same keys in the same order, and the same values.
What a processor computes otherwise in the last places of a float may differ."""

import json

import pytest

from .recorded_calls import CALLS, RECORDED, call, prepare


def test_the_json_of_twenty_calls_is_what_was_recorded(tmp_path, monkeypatch):
    monkeypatch.chdir(tmp_path)
    prepare(tmp_path)
    for number, (name, arguments) in enumerate(CALLS):
        _code, text = call(arguments)
        alike(json.loads(text), json.loads((RECORDED / f"{number:02d}.json").read_text()), name)


def alike(now, then, where):
    assert type(now) is type(then), where
    if isinstance(then, dict):
        assert list(now) == list(then), where
        for key in then:
            alike(now[key], then[key], f"{where}: {key}")
    elif isinstance(then, list):
        assert len(now) == len(then), where
        for i, (a, b) in enumerate(zip(now, then, strict=True)):
            alike(a, b, f"{where}: {i}")
    elif isinstance(then, float):
        assert now == pytest.approx(then, rel=1e-6, abs=1e-9), where
    else:
        assert now == then, where
