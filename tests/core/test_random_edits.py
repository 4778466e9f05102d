"""Random edits, presses and typing alike: every edit function, any text; each document that results can be saved,
opens, and is the same."""

import os

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec.structs import replace

from brucke.core.aligning import evidence_edits
from brucke.core.checks.revert_difference import put_back
from brucke.core.document.cleaning import clean_text, cleaned
from brucke.core.document.differences import differences
from brucke.core.document.ranges import text_problem
from brucke.core.document.setup import Duck, Setup
from brucke.core.edits import block_edits, chain_edits, listener_edits, moment_edits, part_edits, route_edits
from brucke.core.sound.noise_profile import learn
from brucke.core.sound.processors import Equaliser, PlugIn
from brucke.core.storage.presets import OWN, apply_preset
from brucke.core.storage.setup_file import decode, encode
from brucke.core.storage.setup_problems import new_problem, problems
from brucke.demo.make_setup import nightboat as make_nightboat
from brucke.words.documents import PART_NAMES
from brucke.words.processors import OFFERED

KNOWLEDGE = decode(encode(Setup(), decode(b'{"format": "brucke setup", "version": 1}')[1]))[1]

PROFILE = learn("room", (0.01 * np.random.default_rng(4).standard_normal((1, 4 * 48000))).astype(np.float32), 48000)


@st.composite
def steps(draw):
    """A change as a user would make it, on whatever is there."""
    return draw(st.integers(0, 44)), draw(st.integers(0, 99)), draw(st.integers(0, 99)), draw(st.floats(-80, 30))


@st.composite
def typed(draw):
    """What somebody types or pastes anywhere: any text, any number."""
    text = draw(
        st.text(st.characters(), max_size=30)
        | st.text("\x00\x0c\x1b\ud800\n a", min_size=190, max_size=230)
        | st.just("x\x0c" * 11_000)
    )
    return draw(st.integers(0, 6)), draw(st.integers(0, 99)), text, draw(st.integers(-10, 300))


def type_in(setup, what):
    kind, a, text, number = what
    part = setup.parts[a % len(setup.parts)].id if setup.parts else ""
    listener = setup.listeners[a % len(setup.listeners)].id if setup.listeners else ""
    if kind == 0:
        return replace(setup, notes=text)
    if kind == 1:
        return replace(setup, name=text)
    if kind == 2:
        return listener_edits.add_listener(setup, "stream", text, text)
    if not part or not listener:
        return setup
    return {
        3: lambda: part_edits.rename_part(setup, part, text),
        4: lambda: listener_edits.change_listener(setup, listener, name=text),
        5: lambda: part_edits.set_channels(setup, part, (number, number + 1)),
        6: lambda: listener_edits.set_there(setup, listener, number * 100.0, -number * 100.0),
    }[kind]()


# BRUCKE_EDITS=1000 makes it some ten thousand edits.
@settings(max_examples=int(os.environ.get("BRUCKE_EDITS", "150")))
@given(st.lists(steps() | typed(), max_size=40), st.booleans())
def test_whatever_is_typed_is_made_fit_or_refused_before_it_is_the_document(changes, from_demo):
    """As `Session.edit` does it. In all some thousand edits; each document that results opens again and is the same."""
    setup = make_nightboat() if from_demo else Setup()
    for step in changes:
        after = cleaned(setup, type_in(setup, step) if isinstance(step[2], str) else apply(setup, step))
        if new_problem(setup, after):
            assert isinstance(step[2], str), "what only presses can do is never refused"
            continue
        setup = after
        assert list(problems(setup)) == [], step
    assert decode(encode(setup, KNOWLEDGE))[0] == setup


def test_texts_are_made_fit_by_the_readers_table():
    for field, text in (("name", "a\x0cb\x07" + "c" * 300), ("notes", "one\x0ctwo\n\x1b" + "d" * 30_000)):
        fit = clean_text(field, text)
        assert not text_problem(field, fit)
        assert clean_text(field, fit) is fit
    assert clean_text("name", "a\x0cb") == "a b"
    assert clean_text("notes", "one\x0ctwo") == "one\ntwo"


def apply(setup, step):
    kind, a, b, value = step
    part = setup.parts[a % len(setup.parts)].id if setup.parts else ""
    listener = setup.listeners[b % len(setup.listeners)].id if setup.listeners else ""
    sources = list(part_edits.KIND_OF)
    if kind == 0:
        source = sources[a % len(sources)]
        return part_edits.add_part(setup, source, *PART_NAMES[source])
    if kind == 1:
        kinds = list(listener_edits.DEVICE_OF)
        return listener_edits.add_listener(setup, kinds[a % len(kinds)], "New", "Thing")
    if not part:
        return setup
    if kind == 2:
        return part_edits.remove_part(setup, part)
    if kind == 3:
        return chain_edits.give_places(part_edits.duplicate_part(setup, part))
    if kind == 4:
        return part_edits.move_part(setup, part, b % 5 - 2)
    if kind == 5 and setup.part(part).channels:
        return part_edits.set_mode(setup, part, part_edits.MODES[b % 5])
    if kind == 6:
        return part_edits.set_trim(setup, part, value)
    if not listener:
        return setup
    other = setup.listeners[a % len(setup.listeners)].id
    if 18 <= kind <= 34 and (setup.route(part, listener) is None or setup.route(part, other) is None):
        return setup  # the grid offers these where something is
    return {
        7: lambda: route_edits.set_on(setup, part, listener, a % 3 > 0),
        8: lambda: route_edits.set_gain(setup, part, listener, value),
        9: lambda: route_edits.move_route(setup, (part, listener), (part, other)),
        10: lambda: route_edits.copy_column(setup, listener, other),
        11: lambda: listener_edits.change_listener(setup, listener, channels=b % 18),
        12: lambda: route_edits.toggle_point(setup, part, listener, 0, b % setup.listener(listener).channels),
        13: lambda: chain_edits.give_places(listener_edits.duplicate_listener(setup, listener)),
        14: lambda: listener_edits.remove_listener(setup, listener),
        15: lambda: listener_edits.lay_out_tracks(setup, listener),
        16: lambda: shaped(setup, f"part/{part}", a, b, value),
        17: lambda: shaped(setup, f"listener/{listener}", a, b, value),
        18: lambda: (
            route_edits.set_delay(setup, part, listener, value * 100) if setup.part(part).kind != "picture" else setup
        ),
        19: lambda: route_edits.set_point_gain(setup, part, listener, 0, 0, value),
        20: lambda: route_edits.others_on(setup, part, listener, b % 16),
        21: lambda: route_edits.set_way(setup, part, listener, "outside" if a % 2 else "engine"),
        22: lambda: route_edits.set_processed(setup, part, listener, a % 2 > 0),
        23: lambda: route_edits.set_bypass(setup, part, listener, a % 2 > 0),
        24: lambda: route_edits.allow_own_return(setup, part, listener, a % 2 > 0),
        25: lambda: listener_edits.toggle_heard(setup, part, a % 2 > 0),
        26: lambda: listener_edits.set_waiting(setup, listener, value * 100, b * 40.0),
        27: lambda: chain_edits.set_target(setup, listener, value),
        28: lambda: part_edits.add_tracks(setup, part, ["harp.flac"] * (b % 3)),
        29: lambda: (
            part_edits.remove_track(part_edits.choose_track(setup, part, b), part, b)
            if setup.part(part).tracks
            else setup
        ),
        30: lambda: block_edits.set_block(setup, (16, 64, 100, 4096)[b % 4]),
        31: lambda: (
            evidence_edits.note_late(
                setup, part, setup.parts[b % len(setup.parts)].id, listener, value * 100, abs(value)
            )
            if setup.route(part, listener)
            else setup
        ),
        32: lambda: listener_edits.set_ceiling(setup, listener, value),
        33: lambda: route_edits.place_on(setup, [(part, listener)], b % 16),
        34: lambda: route_edits.nudge_gains(setup, [(part, listener), (part, other)], value),
        35: lambda: route_edits.switch(setup, [(part, listener), (part, other)], a % 2 > 0),
        36: lambda: route_edits.let_lead(setup, setup.listener(listener).device),
        37: lambda: route_edits.put_on_this_computer(setup),
        38: lambda: route_edits.paste(
            setup, [replace(r, listener=listener) for r in setup.routes if r.listener == other]
        ),
        39: lambda: route_edits.at_one_rate(setup),
        40: lambda: route_edits.set_gains(setup, [(r.part, r.listener) for r in setup.routes if r.part == part], value),
        41: lambda: put_one_back(setup, a, b),
        42: lambda: ducked(setup, part, listener, setup.parts[b % len(setup.parts)].id, value),
        43: lambda: moment_edits.add_moment(setup, "Moment", setup.moments[0].id if setup.moments else ""),
        44: lambda: moment_changed(setup, part, listener, a, value),
    }.get(kind, lambda: setup)()


def ducked(setup, part, listener, under, value):
    if setup.route(part, listener) is None or under == part:
        return setup
    duck = Duck(under=under, depth_db=value, threshold_db=value, release_ms=value * 100) if value > -60 else None
    return route_edits.set_duck(setup, part, listener, duck)


def moment_changed(setup, part, listener, a, value):
    if not setup.moments or setup.route(part, listener) is None:
        return setup
    moment = setup.moments[a % len(setup.moments)].id
    return [
        lambda: moment_edits.set_mute(setup, moment, part, listener, value > 0),
        lambda: moment_edits.set_gain(setup, moment, part, listener, value),
        lambda: moment_edits.pass_chains(setup, moment, value > 0),
        lambda: moment_edits.stop_ducking(setup, moment, value > 0),
        lambda: moment_edits.move_moment(setup, moment, a - 50),
        lambda: moment_edits.remove_moment(setup, moment),
        lambda: moment_edits.set_policy(setup, moment, listener, "least_delay" if value > 0 else "in_step"),
    ][a % 7]()


def put_one_back(setup, a, b):
    """One of what is other than in the demo, as it is there."""
    then = make_nightboat()
    found = differences(then, setup)
    return (put_back(setup, then, found[(a + b) % len(found)]) or setup) if found else setup


def shaped(setup, owner, a, b, value):
    """A change of a chain, where there may be one."""
    thing = chain_edits.owned(setup, owner)
    if not 0 < (len(thing.channels) if owner.startswith("part/") else thing.channels) <= 2:
        return setup
    kinds = [fresh for fresh, _ in OFFERED.values()]
    return [
        lambda: chain_edits.add_processor(setup, owner, kinds[b % len(kinds)]),
        lambda: chain_edits.add_processor(setup, owner, PlugIn(name="Own", place=b)),
        lambda: apply_preset(setup, owner, list(OWN.values())[b % len(OWN)]),
        lambda: chain_edits.other_version(setup, owner),
        lambda: chain_edits.move_processor(setup, owner, 0, b % 5 - 2) if thing.chain else setup,
        lambda: chain_edits.bring_to_target(setup, owner[9:], value) if owner.startswith("l") else setup,
        lambda: chain_edits.keep_version(setup, owner),
        lambda: chain_edits.keep_profile(setup, owner, replace(PROFILE, name=f"room {b % 3}")),
        lambda: chain_edits.forget_profile(setup, f"room {b % 3}"),
        lambda: processor_changed(setup, owner, thing.chain, b, value),
        lambda: chain_edits.remove_processor(setup, owner, b % len(thing.chain)) if thing.chain else setup,
    ][a % 11]()


def processor_changed(setup, owner, chain, b, value):
    if not chain:
        return setup
    slot = b % len(chain)
    p = chain[slot]
    if isinstance(p, PlugIn):
        return chain_edits.set_plug_in(setup, owner, slot, "wet", value)
    if isinstance(p, Equaliser) and b % 2:
        return chain_edits.shape_band(setup, owner, slot, b % len(p.bands), ("bell", "low_shelf")[b % 4 // 2])
    if isinstance(p, Equaliser):
        return chain_edits.change_band(setup, owner, slot, b % len(p.bands), gain_db=value)
    field = sorted(p.RANGES)[b % len(p.RANGES)] if p.RANGES else ""
    return chain_edits.change_processor(setup, owner, slot, **({field: value * 10} if field else {"on": b % 2 > 0}))


@settings(max_examples=120)
@given(st.lists(steps(), max_size=25), st.booleans())
def test_whatever_is_edited_can_be_saved_and_opened(changes, from_demo):
    setup = make_nightboat() if from_demo else Setup()
    for step in changes:
        setup = apply(setup, step)
        assert list(problems(setup)) == [], step
    assert decode(encode(setup, KNOWLEDGE))[0] == setup
