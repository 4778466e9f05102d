"""The setup file: what is written is read, what is bad gets one sentence with file, place and reason."""

import json
import os
from pathlib import Path

import msgspec
import pytest
from msgspec.structs import replace

from brucke.core.knowledge.evidence import Knowledge, Measurement
from brucke.core.storage.setup_file import SetupError, decode, encode, load, save, schema

ROOT = Path(__file__).parents[2]


def changed(setup, **at):
    """The file's JSON with values put at dotted places."""
    raw = json.loads(encode(setup, Knowledge()))
    for place, value in at.items():
        node = raw
        *way, last = [int(k) if k.isdigit() else k for k in place.split("__")]
        for key in way:
            node = node[key]
        node[last] = value
    return json.dumps(raw).encode()


def measurement(**changes):
    values = {
        "key": "round_trip:table", "value_s": 0.01, "plus_minus_s": 1e-6, "date": "2026-11-24T19:42:00+00:00",
        "method": "sweeps",
        "repeats": 4, "agreeing": 4, "fingerprint": "abc", "proof": (0.1, 1.0, 0.1),
    }  # fmt: skip
    return Measurement(**{**values, **changes})


def test_what_is_saved_is_opened_with_its_knowledge(nightboat, tmp_path):
    knowledge = Knowledge(measurements=(measurement(),))
    path = tmp_path / "hour.brucke.json"
    save(path, nightboat, knowledge)
    assert load(path) == (nightboat, knowledge.numbered())


def test_keys_that_others_rely_on_are_written_even_at_their_defaults(nightboat):
    raw = json.loads(encode(nightboat, Knowledge()))
    assert {"id", "kind", "name"} <= raw["parts"][0].keys()
    assert {"id", "kind", "name"} <= raw["listeners"][0].keys()
    assert {"part", "listener", "on", "gain_db", "delay_ms"} <= raw["routes"][0].keys()


@pytest.mark.parametrize(
    ("change", "place", "reason"),
    [
        ({"routes__1__part": "trumpet"}, "routes[1].part", "trumpet"),
        ({"routes__1__listener": "moon"}, "routes[1].listener", "moon"),
        ({"rate_hz": 0}, "rate_hz", "0 Hz"),
        ({"devices__0__rate_hz": 0}, "devices[0].rate_hz", "0 Hz"),
        ({"devices__0__buffers": 0}, "devices[0].buffers", "0 buffers is outside 1 to 64"),
        ({"devices__4__pictures_per_s": 0}, "devices[4].pictures_per_s", "0"),
        ({"routes__0__delay_ms": -3}, "routes[0].delay_ms", "−3 ms is outside 0 to 2000 ms"),
        ({"routes__0__gain_db": "loud"}, "routes[0].gain_db", "expected"),
        ({"parts__1__follows": "nobody"}, "parts[1].follows", "nobody"),
        ({"parts__0__beat_source": "../harp.flac"}, "parts[0].beat_source", "beside"),
        ({"parts__0__id": "voice"}, "parts[1].id", "twice"),
        ({"parts__0__kind": "band"}, "parts[0].kind", "invalid"),
        ({"parts__0__wings": 2}, "parts[0]", "wings"),
        ({"version": 2}, "version", "newer"),
        ({"version": "one"}, "version", "whole number"),
        ({"format": "song"}, "at the top", "not a setup"),
        ({"listeners__0__channels": 99}, "listeners[0].channels", "99"),
        ({"moments__1__policy": {"mars": "in_step"}}, "moments[1].policy", "mars"),
    ],
)
def test_a_bad_value_is_named_with_its_place_and_reason(nightboat, change, place, reason):
    with pytest.raises(SetupError) as e:
        decode(changed(nightboat, **change), "hour.json")
    said = str(e.value)
    assert said.startswith(f"hour.json: {place}")
    assert reason in said
    assert "\n" not in said


def test_what_is_not_json_is_placed_by_line_and_column(nightboat):
    data = encode(nightboat, Knowledge()).replace(b'"gain_db": -12', b'"gain_db": NaN', 1)
    line = data[: data.index(b"NaN")].count(b"\n") + 1
    with pytest.raises(SetupError, match=rf"hour.json: line {line}, column \d+ is not JSON"):
        decode(data, "hour.json")
    with pytest.raises(SetupError, match="line 1, column"):
        decode(b"once upon a time", "hour.json")


def test_an_infinite_number_is_not_a_number(nightboat):
    with pytest.raises(SetupError, match=r"hour\.json: "):
        decode(changed(nightboat).replace(b'"extra_ms": 0.0', b'"extra_ms": 1e999', 1), "hour.json")


def test_ten_thousand_parts_are_refused_before_anything_else(nightboat):
    part = msgspec.to_builtins(nightboat.parts[0])
    many = [{**part, "id": f"p{i}"} for i in range(10_000)]
    with pytest.raises(SetupError, match="10000 parts, at most 64"):
        decode(changed(nightboat, parts=many), "hour.json")


def test_a_call_never_gets_its_own_far_end_back(nightboat):
    own = {**json.loads(encode(nightboat, Knowledge()))["routes"][0], "part": "lounge", "listener": "lounge_call"}
    raw = json.loads(encode(nightboat, Knowledge()))
    raw["routes"].append(own)
    with pytest.raises(SetupError, match="its own far end back"):
        decode(json.dumps(raw).encode(), "hour.json")


def test_a_crash_while_saving_leaves_the_old_file_whole(nightboat, tmp_path, monkeypatch):
    path = tmp_path / "hour.brucke.json"
    save(path, nightboat, Knowledge())
    old = path.read_bytes()
    for broken in ("fsync", "replace"):
        with monkeypatch.context() as m:
            m.setattr(os, broken, lambda *a: (_ for _ in ()).throw(OSError(28, "No space left on device")))
            with pytest.raises(OSError, match="No space"):
                save(path, replace(nightboat, name="other"), Knowledge())
        assert path.read_bytes() == old
        assert list(tmp_path.iterdir()) == [path]


def test_a_missing_or_huge_file_is_one_sentence(tmp_path):
    with pytest.raises(SetupError, match=r"gone\.json: the file: no such file"):
        load(tmp_path / "gone.json")
    huge = tmp_path / "huge.json"
    with huge.open("wb") as f:
        f.truncate(17 * 2**20)
    with pytest.raises(SetupError, match="a setup has at most"):
        load(huge)


def test_the_published_schema_is_the_one_in_force():
    assert json.loads((ROOT / "docs" / "setup.schema.json").read_text()) == json.loads(json.dumps(schema()))
