"""Structures of the sound server's library as we declare them, against its own headers and a compiler."""

import shutil
import subprocess
from pathlib import Path

import pytest

from brucke.ports.devices.server.library import ffi

SIZES = {
    "pipewire/core.h": ("pw_core_events", "pw_core_methods", "pw_registry_events", "pw_registry_methods"),
    "pipewire/filter.h": ("pw_filter_events",),
    "pipewire/node.h": ("pw_node_info", "pw_node_events"),
    "pipewire/extensions/metadata.h": ("pw_metadata_events", "pw_metadata_methods"),
    "spa/node/io.h": ("spa_io_clock",),
    "spa/utils/hook.h": ("spa_hook", "spa_interface", "spa_callbacks"),
    "spa/utils/dict.h": ("spa_dict", "spa_dict_item"),
}


def test_layouts_are_those_that_a_compiler_finds_in_the_librarys_own_headers(tmp_path):
    headers = [Path(f"/usr/include/{name}") for name in ("pipewire-0.3", "spa-0.2")]
    if not all(h.exists() for h in headers) or shutil.which("cc") is None:
        pytest.skip("the library's headers, or a compiler, are not here")
    names = [n for some in SIZES.values() for n in some]
    lines = [f"#include <{h}>" for h in ("stdio.h", *SIZES)]
    lines += ["int main(void) {", *(f'printf("%zu\\n", sizeof(struct {n}));' for n in names), "return 0; }"]
    (tmp_path / "sizes.c").write_text("\n".join(lines))
    include = [f"-I{h}" for h in headers]
    subprocess.run(["cc", *include, "-o", tmp_path / "sizes", tmp_path / "sizes.c"], check=True, capture_output=True)
    theirs = subprocess.run([tmp_path / "sizes"], check=True, capture_output=True, text=True).stdout.split()
    assert dict(zip(names, map(int, theirs), strict=True)) == {n: ffi.sizeof(f"struct {n}") for n in names}
