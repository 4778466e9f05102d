"""`brucke check` on broken setups: it finds the planted fault and nothing else, and is silent once that is mended."""

import json
import shutil
from dataclasses import dataclass

import numpy as np
import pytest
import soundfile as sf
from msgspec.structs import replace

from brucke.commands.cli import main
from brucke.core.aligning.align import align
from brucke.core.checks.soundcheck import mended
from brucke.core.document.setup import Setup
from brucke.core.edits import listener_edits, part_edits, route_edits
from brucke.core.findings import Finding
from brucke.core.knowledge.evidence import Knowledge, Measurement
from brucke.core.knowledge.quantities import PICTURE, ROUND_TRIP
from brucke.core.storage.bundle import sound_files
from brucke.core.storage.setup_file import load, save
from brucke.core.storage.templates import TEMPLATES
from brucke.core.timing.paths import Situation
from brucke.core.units import buffer_seconds
from brucke.demo import FOLDER
from brucke.rehearse.equipment import facts_of

from .evidence import picture_at


def measured(setup):
    """Evidence as a measurement of this very setup leaves it."""
    d = next(d for d in setup.devices if d.kind == "interface")
    m = Measurement(
        key=ROUND_TRIP.key(d.id), value_s=2 * buffer_seconds(d.buffer_frames, d.buffers, d.rate_hz) + 0.0012,
        plus_minus_s=1e-6, date=
        "2026-11-25T19:00:00+00:00", method="sweeps",
        repeats=4, agreeing=4, fingerprint=ROUND_TRIP.fingerprint(setup, d.id),
    )  # fmt: skip
    pictures = [picture_at(setup, x, 60, p) for p, x in PICTURE.subjects(setup) if setup.route(p, x) is not None]
    return Knowledge(measurements=(m, *pictures))


def in_step(setup, knowledge=None):
    return align(Situation(setup, knowledge or measured(setup), facts_of(setup)))


def change_devices(setup, kind, **fields):
    for d in [d for d in setup.devices if d.kind == kind]:
        setup = route_edits.change_device(setup, d.id, **fields)
    return setup


def off(setup, *cells):
    return route_edits.switch(setup, cells, False)


def nobody_hears(setup, listener):
    return off(setup, *((p.id, listener) for p in setup.parts))


def own_sound_late(setup):
    setup = part_edits.change_part(setup, "voice", hears_itself="monitor")
    return change_devices(setup, "interface", buffer_frames=2048, buffers=1)


def everything_taken(setup):
    setup = part_edits.add_part(setup, "computer", "Whole computer", "This computer")
    setup = part_edits.change_part(setup, "whole_computer", quiet=True)
    return off(setup, *(("whole_computer", x.id) for x in setup.listeners))


def their_mix_back(setup):
    setup = part_edits.add_part(setup, "program", "Their mix", "Mixing program")
    setup = part_edits.change_part(setup, "their_mix", returns_from="second_computer", quiet=True)
    setup = off(setup, *(("their_mix", x.id) for x in setup.listeners))
    return route_edits.set_on(setup, "their_mix", "second_computer", True)


def same_input_again(setup):
    setup = part_edits.add_part(setup, "microphone", "Voice again", "Interface")
    setup = part_edits.set_channels(setup, "voice_again", setup.part("voice").channels)
    setup = part_edits.change_part(setup, "voice_again", beat_source="")  # the same singer, not a second one
    setup = off(setup, *(("voice_again", x.id) for x in setup.listeners))
    return route_edits.set_gain(route_edits.set_on(setup, "voice_again", "stream", True), "voice_again", "stream", -12)


def beat_not_heard(setup):
    return off(part_edits.change_part(setup, "voice", quiet=True), ("music", "headphones"))


def too_much_trim(setup):
    setup = part_edits.set_trim(setup, "voice", 30)
    return route_edits.set_gains(setup, [("voice", x.id) for x in setup.listeners], -45)


@dataclass(frozen=True)
class Fault:
    """`plant` breaks the setup, `sound` (file, change of its samples) a sound beside it."""

    template: str
    found: tuple[str, str, str, str]  # code, part, listener, device
    plant: object = lambda s: s
    sound: tuple[str, object] = ("", None)
    evidence: bool = True
    unknown: tuple[tuple[str, str, str, str], ...] = ()  # what nobody can know without evidence


FAULTS = {
    "rates": Fault("workstation", ("other_rate", "", "", "workstation"), lambda s: change_devices(s, "workstation",
    rate_hz=44100)),
    "buffer too small": Fault("stream", ("buffer_small", "", "", "interface"), lambda s: change_devices(s, "interface",
    buffer_frames=64, buffers=1)),
    "buffer too large": Fault("sing", ("buffer_large", "", "", "interface"), lambda s: change_devices(s, "interface",
    buffer_frames=2048, buffers=3)),
    "no clock": Fault("stream", ("no_clock", "", "", "interface"), lambda s: change_devices(s, "interface",
    sets_clock=False)),
    "wireless": Fault("stream", ("wireless", "", "headphones", "interface"), lambda s: change_devices(s, "interface",
    wireless=True)),
    "everything of the computer": Fault("stream", ("everything", "whole_computer", "", ""), everything_taken),
    "a circle": Fault("two_computers", ("loop", "their_mix", "second_computer", ""), their_mix_back),
    "one input twice": Fault("stream", ("doubled", "voice_again", "stream", ""), same_input_again),
    "direct monitoring": Fault("stream", ("doubled", "voice", "headphones", ""), lambda s: change_devices(s,
    "interface", direct_monitoring=True)),
    "call hears itself": Fault("sing", ("own_return", "far_end", "call", ""), lambda s: route_edits.allow_own_return(s,
    "far_end", "call", True)),
    "hears nothing": Fault("stream", ("hears_nothing", "", "stream", ""), lambda s: nobody_hears(s, "stream")),
    "no player": Fault("stream", ("player_missing", "voice", "stream", ""), lambda s: off(s, ("voice", "stream"))),
    "second track": Fault("stream", ("second_track", "", "stream", ""), lambda s: listener_edits.change_listener(s,
    "stream", channels=4)),
    "hot sum": Fault("stream", ("sum_clips", "", "stream", ""), lambda s: route_edits.set_gains(s, [("voice",
    "stream"), (
    "music", "stream")], 12)),
    "too soft": Fault("stream", ("faint", "voice", "stream", ""), lambda s: route_edits.set_gain(s, "voice", "stream",
    -60)),
    "trim": Fault("stream", ("trim_clips", "voice", "", ""), too_much_trim),
    "silent input": Fault("stream", ("no_signal", "voice", "", "interface"),
    lambda s: part_edits.change_part(part_edits.set_channels(s,
    "voice", (5,)), "voice", beat_source="")),
    "one side": Fault("stream", ("one_sided", "music", "", ""), sound=("harp.flac", lambda x: x * [1, 0])),
    "opposite sides": Fault("stream", ("cancels_in_mono", "music", "", ""),
    sound=("harp.flac", lambda x: x[:, :1] * [1, -0.9])),
    "clipped input": Fault("stream", ("input_clips", "voice", "", "interface"),
    sound=("voice.flac", lambda x: np.clip(20 * x, -1, 1))),
    "never measured": Fault("stream", ("not_measured", "", "", "interface"), evidence=False, unknown=((
    "picture_unknown", "picture", "stream", ""),)),
    "own sound late": Fault("sing", ("own_sound_late", "voice", "headphones", "interface"), own_sound_late),
    "beat not heard": Fault("stream", ("lead_not_heard", "voice", "headphones", ""), beat_not_heard),
}  # fmt: skip


HEARD = {"sum_clips", "faint", "trim_clips", "no_signal", "one_sided", "cancels_in_mono", "input_clips"}


def check(capsys, path, listening=True):
    code = main(["check", str(path), "--json", *([] if listening else ["--silent"])])
    said = json.loads(capsys.readouterr().out)
    assert code == (0 if said["good"] + len(said["not_yet"]) == said["checks"] else 1)
    assert all(f["what"] and f["mend"] and "{" not in f["what"] + f["why"] + f["mend"] for f in said["findings"])
    return code, said["findings"]


def put(folder, setup, knowledge):
    for name in sound_files(setup):
        if not (folder / name).exists():
            shutil.copy2(FOLDER / name, folder / name)
    save(folder / "hour.brucke.json", setup, knowledge)
    return folder / "hour.brucke.json"


def spoil(folder, name, change):
    sound, rate = sf.read(FOLDER / name, always_2d=True)
    if sound.shape[1] == 1 and name == "harp.flac":
        sound = np.repeat(sound, 2, axis=1)
    sf.write(folder / name, change(sound), rate, subtype="PCM_24")


def after_mending(setup, knowledge, finding):
    """The setup after the one action that the finding offers, and the evidence that then counts."""
    f = Finding(code=finding["code"], part=finding["part"], listener=finding["listener"], device=finding["device"],
        values=finding[
        "values"])  # fmt: skip
    if finding["mended_by"] == "measure":
        return setup, measured(setup)
    after = mended(Situation(setup, knowledge, facts_of(setup)), f)
    assert after is not None, finding
    return after, knowledge


@pytest.mark.parametrize("fault", FAULTS.values(), ids=FAULTS)
def test_a_planted_fault_is_found_alone_and_gone_once_mended(capsys, tmp_path, fault):
    setup: Setup = fault.plant(next(t for t in TEMPLATES if t.code == fault.template).make())
    knowledge = measured(setup) if fault.evidence else Knowledge()
    setup = in_step(setup, knowledge)
    path = put(tmp_path, setup, knowledge)
    name, change = fault.sound
    if name:
        spoil(tmp_path, name, change)
    code, found = check(capsys, path, listening=fault.found[0] in HEARD)
    assert [(f["code"], f["part"], f["listener"], f["device"]) for f in found] == [fault.found, *fault.unknown]
    assert code == 1
    if found[0]["mended_by"] not in ("edit", "measure"):
        shutil.copy2(FOLDER / name, tmp_path / name)  # the hand turns the knob down
    else:
        # A changed interface has to be measured and put in step again; the check says so, with one action each.
        for step in range(4):
            setup, knowledge = after_mending(setup, knowledge, found[0])
            put(tmp_path, setup, knowledge)
            code, found = check(capsys, path, listening=False)
            if not found:
                break
            assert {f["code"] for f in found} <= {"stale", "out_of_step"}, f"after mend {step + 1}"
    code, found = check(capsys, path)
    assert (code, found) == (0, [])


@pytest.mark.parametrize("template", [t.code for t in TEMPLATES])
def test_every_template_is_good_once_it_is_measured_and_in_step(capsys, tmp_path, template):
    made = tmp_path / "new.brucke.json"
    assert main(["new", template, str(made)]) == 0
    setup, _ = load(made)
    after = in_step(setup)
    path = put(tmp_path, replace(after, name="Measured"), measured(after))
    capsys.readouterr()
    assert check(capsys, path) == (0, [])


def test_check_without_listening_says_only_what_is_written(capsys, tmp_path):
    setup = in_step(next(t for t in TEMPLATES if t.code == "stream").make())
    path = put(tmp_path, part_edits.set_channels(setup, "voice", (5,)), measured(setup))
    assert main(["check", str(path), "--silent"]) == 0
    out = capsys.readouterr().out
    assert "16 good, 6 not yet" in out, "what was not listened to is never counted good"
    assert "? not yet: every part has signal" in out
