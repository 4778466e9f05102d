"""Planted truths: no wrong number without its rival or a refusal, and a number where a person would know. Every third
case here, all of them with BRUCKE_PLANTED=all; `python -m tests.outside.test_planted COMMAND` prints the table."""

import os
import sys

import pytest

from brucke.core.measure.drift import find_drift
from brucke.core.measure.offset import natural_offset
from brucke.core.measure.phrases import phrase_offsets
from brucke.core.measure.sound_and_picture import sound_and_picture

from .planted import RATE, Said, printed, summary, table
from .planted_drifts import drift_cases
from .planted_offsets import offset_cases
from .planted_paths import path_cases
from .planted_paths import rows as path_rows
from .planted_phrases import phrase_cases
from .planted_pictures import picture_cases
from .planted_unrelated import both_repeat, sung_twice, unrelated_film, unrelated_pair


def offset_said(a, b):
    f = natural_offset(a, b, RATE)
    return Said(f.seconds * 1e3 if f.match else None, f.plus_minus_s * 1e3, tuple(r.value * 1e3 for r in f.rivals))


def drift_said(a, b):
    f = find_drift(a, b, RATE)
    return Said(f.ppm if f.match else None, f.ppm_error)


def phrases_said(voice, music):
    length = min(len(voice), len(music))
    f = phrase_offsets(voice[:length], music[:length], RATE)
    return Said(f.seconds * 1e3 if f.match else None, f.plus_minus_s * 1e3, tuple(r.value * 1e3 for r in f.rivals))


def picture_said(seen, sounds):
    f = sound_and_picture(seen, sounds).offset
    if f is None:
        return Said(None)
    return Said(f.seconds * 1e3, f.plus_minus_s * 1e3, tuple(r.value * 1e3 for r in f.rivals))


# Cases, what is asked, and from where on a difference is one, in the unit of the truth.
COMMANDS = {
    "offset": (offset_cases, offset_said, 0.25),
    "drift": (drift_cases, drift_said, 0.3),
    "picture": (picture_cases, picture_said, 0.5),
    "take-offset": (phrase_cases, phrases_said, 2.0),
}


@pytest.mark.parametrize("command", COMMANDS)
def test_no_number_is_wrong_without_its_rival(command):
    cases, look, near = COMMANDS[command]
    chosen = cases() if os.environ.get("BRUCKE_PLANTED") == "all" else cases()[::3]
    rows = table(chosen, look, near)
    found = summary(rows)
    assert found["wrong"] == 0, printed(rows, "")
    assert found["right"] >= 0.95, printed(rows, "")
    assert found["refused"] <= 0.05, printed(rows, "")


@pytest.mark.parametrize(
    ("make", "looks"),
    [
        (unrelated_film, [picture_said]),
        (unrelated_pair, [offset_said, drift_said, phrases_said]),
        (sung_twice, [offset_said, drift_said]),
    ],
)
def test_nothing_is_accepted_of_what_has_nothing_in_common(make, looks):
    """A hundred films, pairs, and songs sung twice; every tenth here. Of two patterns that come again, a beat may be
    told, with what it may as well be."""
    for seed in range(0, 100, 1 if os.environ.get("BRUCKE_PLANTED") == "all" else 10):
        material = make(seed)
        for look in looks:
            said = look(*material)
            named = look is phrases_said and both_repeat(seed) and said.rivals
            assert said.value is None or named, (seed, look.__name__, said)


def test_no_path_is_called_what_it_is_not():
    every = os.environ.get("BRUCKE_PLANTED") == "all"
    found = path_rows(path_cases() if every else path_cases()[::8])
    clear = [what for path, _, what in found if path.clear]
    assert not [r for r in found if r[2] == "wrong"]
    assert sum(w == "right" for w in clear) >= 0.95 * len(clear), found
    assert sum(w == "refused" for w in clear) <= 0.05 * len(clear), found


if __name__ == "__main__":
    for name in sys.argv[1:] or [*COMMANDS, "clean"]:
        print(f"\n### `{name}`\n")
        if name == "clean":
            print("| path | does | said | |", "|---|---|---|---|", sep="\n")
            for path, text, what in path_rows(path_cases()):
                print(f"| {path.name} | {', '.join(sorted(path.does)) or '—'} | {text} | {what} |")
            continue
        cases, look, near = COMMANDS[name]
        rows = table(cases(), look, near)
        print(printed(rows, ""), "", f"{summary(rows)}", sep="\n")
