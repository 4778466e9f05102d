"""One file with everything, and what a crash leaves: whole or not at all, and nothing ever lands outside its folder."""

import io
import signal
import stat
import subprocess
import sys
import zipfile

import pytest
from msgspec.structs import replace

from brucke.core.edits.route_edits import change_device
from brucke.core.files.copying import copy_whole
from brucke.core.files.process_alive import Who, is_alive, this_program
from brucke.core.knowledge.evidence import Knowledge, Measurement, Spoil
from brucke.core.knowledge.quantities import CAMERA, PICTURE, ROUND_TRIP
from brucke.core.storage.bundle import BUNDLE_SUFFIX, SETUP_NAME, export_bundle, import_bundle, sound_files
from brucke.core.storage.recovery import Recovery, find_recoveries, recovery_file, write_recovery
from brucke.core.storage.setup_file import MAX_BYTES, SetupError, decode, encode, load, save
from brucke.demo import FOLDER

KNOWLEDGE = Knowledge(spoils=(Spoil(key="round_trip:table", date="2026-11-25", reason="engine restarted", sequence=1),))


@pytest.fixture
def bundle(nightboat, tmp_path):
    path = tmp_path / f"Night boat{BUNDLE_SUFFIX}"
    export_bundle(path, nightboat, KNOWLEDGE, [(n, FOLDER / n) for n in sound_files(nightboat)])
    return path


def test_what_is_exported_is_imported_with_its_sounds_and_evidence(nightboat, bundle, tmp_path):
    first, second = (import_bundle(bundle, tmp_path / "home") for _ in range(2))
    assert first.parent != second.parent, "importing twice overwrites nothing"
    for path in (first, second):
        assert load(path) == (nightboat, KNOWLEDGE)
        for name in sound_files(nightboat):
            assert (path.parent / name).read_bytes() == (FOLDER / name).read_bytes()


def test_what_was_measured_on_another_computer_is_unconfirmed(nightboat, tmp_path):
    """Round trip, picture and camera; it counts, and is not simply measured. A new name for camera or stream loses none
    of it."""
    picture = next(p for p in nightboat.parts if p.kind == "picture")
    subjects = ((ROUND_TRIP, ("table",)), (PICTURE, (picture.id, "shore_stream")), (CAMERA, (picture.device,)))
    knowledge = Knowledge()
    for quantity, ids in subjects:
        knowledge = knowledge.with_measurement(
            Measurement(
                key=quantity.key(*ids), value_s=0.05, plus_minus_s=0.001, date="2026-11-25", method="sweeps",
                repeats=4, agreeing=4,
                fingerprint=quantity.fingerprint(nightboat, *ids),
            )
        )  # fmt: skip
    path = tmp_path / f"there{BUNDLE_SUFFIX}"
    export_bundle(path, nightboat, knowledge, [(n, FOLDER / n) for n in sound_files(nightboat)])
    setup, here = load(import_bundle(path, tmp_path / "home"))
    for device in (picture.device, nightboat.listener("shore_stream").device):
        setup = change_device(setup, device, name="Another name")
    for quantity, ids in subjects:
        found = here.counting(quantity, setup, *ids)
        assert found is not None, quantity.code
        assert here.unconfirmed(found), quantity.code
    for bad in (replace(found, there_s=99.0), replace(found, beyond_s={"capture:table": 1e9})):
        with pytest.raises(SetupError, match="outside"):
            decode(encode(setup, Knowledge(measurements=(bad,))))


def zipped(members):
    file = io.BytesIO()
    with zipfile.ZipFile(file, "w") as z:
        for name, content in members.items():
            z.writestr(name, content)
    return file.getvalue()


def test_a_bad_bundle_is_one_sentence_and_leaves_nothing(nightboat, tmp_path):
    good = encode(nightboat, KNOWLEDGE)
    outside = encode(replace(nightboat, parts=(replace(nightboat.parts[0], beat_source="../harp.flac"),), routes=(),
        moments=()), KNOWLEDGE)  # fmt: skip
    no_sounds = {SETUP_NAME: good}
    cases = {
        "not a zip": (b"la la la", "not an exported setup, or damaged"),
        "cut off": (zipped(no_sounds)[:-30], "not an exported setup, or damaged"),
        "something else": (zipped({"readme.txt": "hello"}), f"holds no {SETUP_NAME}"),
        "climbs out": (zipped({**no_sounds, "../../evil.wav": b"x"}), "../../evil.wav: leads out of its folder"),
        "from the root": (zipped({**no_sounds, "/etc/evil": b"x"}), "/etc/evil: leads out of its folder"),
        "other slashes": (zipped({**no_sounds, "..\\evil.wav": b"x"}), "leads out of its folder"),
        "setup points outside": (zipped({SETUP_NAME: outside}), "beat_source"),
        "no sounds": (zipped(no_sounds), "no “harp.flac” in it"),
        "a setup as large as a film": (zipped({SETUP_NAME: b" " * (MAX_BYTES + 1)}), "a setup has at most"),
        "six hundred files": (zipped({**no_sounds, **{f"{i}.wav": b"" for i in range(600)}}), "more than 500 files"),
    }
    home = tmp_path / "home"
    for name, (content, said) in cases.items():
        path = tmp_path / "bad.zip"
        path.write_bytes(content)
        with pytest.raises(SetupError) as e:
            import_bundle(path, home)
        assert str(e.value).startswith("bad.zip: "), name
        assert said in str(e.value), name
        assert not home.exists() or not list(home.iterdir()), name
    assert not (tmp_path / "evil.wav").exists()
    with pytest.raises(SetupError, match=r"gone\.zip: the file: no such file"):
        import_bundle(tmp_path / "gone.zip", home)


def test_an_export_that_fails_leaves_the_old_one(nightboat, bundle):
    old = bundle.read_bytes()
    with pytest.raises(OSError, match="moon"):
        export_bundle(bundle, nightboat, KNOWLEDGE, [("moon.flac", FOLDER / "moon.flac")])
    assert bundle.read_bytes() == old
    assert [p.name for p in bundle.parent.iterdir()] == [bundle.name]


def recovery(setup, who):
    return Recovery(setup=setup, knowledge=KNOWLEDGE, path="/somewhere/hour.brucke.json", folders=("/a",), who=who)


def gone_pid():
    """A process that was, and is no more."""
    process = subprocess.Popen([sys.executable, "-c", ""])
    process.wait()
    return process.pid


def test_only_what_a_program_that_is_gone_left_is_recovered(nightboat, tmp_path):
    gone = Who(pid=gone_pid(), started=1, boot=this_program().boot)
    write_recovery(tmp_path, recovery(replace(nightboat, name="lives"), this_program()))
    write_recovery(tmp_path, recovery(replace(nightboat, name="gone"), gone))
    for i, content in enumerate((b"", b"{", b'{"pid": "x"}', b"[]", b'{"pid": 1, "document": 3}')):
        (tmp_path / f"bad{i}.recovery.json").write_bytes(content)
    found = find_recoveries(tmp_path)
    assert [(file, r) for file, r in found] == [
        (recovery_file(tmp_path, gone), recovery(replace(nightboat, name="gone"), gone))
    ]
    assert find_recoveries(tmp_path / "nothing") == []
    # Another program has our number now, or it is another boot: what was left is not hidden by that.
    me = this_program()
    for again in (Who(pid=me.pid, started=me.started - 1, boot=me.boot), Who(pid=me.pid, started=me.started, boot="x")):
        assert not is_alive(again)
    assert is_alive(me)


def test_a_copy_is_whole_or_not_there_and_a_saved_file_keeps_its_mode_and_its_link(nightboat, tmp_path, monkeypatch):
    source, target = tmp_path / "long.wav", tmp_path / "copy.wav"
    source.write_bytes(b"x" * 3_000_000)

    def full(data, out, size):
        out.write(data.read(1_000_000))
        raise OSError(28, "No space left on device")

    with monkeypatch.context() as m:
        m.setattr("shutil.copyfileobj", full)
        with pytest.raises(OSError, match="No space left"):
            copy_whole(source, target)
    assert [p.name for p in tmp_path.iterdir()] == ["long.wav"], "no half copy that would then be kept for good"
    copy_whole(source, target)
    assert target.read_bytes() == source.read_bytes()
    real, link = tmp_path / "real.brucke.json", tmp_path / "link.brucke.json"
    save(real, nightboat, KNOWLEDGE)
    real.chmod(0o640)
    link.symlink_to(real)
    save(link, replace(nightboat, name="again"), KNOWLEDGE)
    assert link.is_symlink()
    assert load(real)[0].name == "again"
    assert stat.S_IMODE(real.stat().st_mode) == 0o640


WRITER = """
import sys, itertools
from pathlib import Path
from msgspec.structs import replace
from brucke.core.knowledge.evidence import Knowledge
from brucke.core.files.process_alive import this_program
from brucke.core.storage.recovery import Recovery, write_recovery
from brucke.demo.make_setup import nightboat
setup = nightboat()
for i in itertools.count():
    now = replace(setup, notes=str(i))
    write_recovery(
        Path(sys.argv[1]), Recovery(setup=now, knowledge=Knowledge(), path="", folders=(), who=this_program())
    )
    print(i, flush=True)
"""


def test_killed_while_writing_the_last_whole_one_is_there(tmp_path):
    for _ in range(3):
        process = subprocess.Popen([sys.executable, "-c", WRITER, str(tmp_path)], stdout=subprocess.PIPE, text=True)
        for _ in range(20):
            last = int(process.stdout.readline())
        process.send_signal(signal.SIGKILL)
        process.wait()
        said = [int(x) for x in process.stdout.read().split()]
        last = said[-1] if said else last
        found = {r.who.pid: r for _, r in find_recoveries(tmp_path)}
        assert int(found[process.pid].setup.notes) >= last, "what was said to be written is there"
