"""What the desktop's sound server tells of itself, whatever it says, and the links that follow from it."""

import math
import os

import numpy as np
import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st
from msgspec.structs import replace

from brucke.core.document.setup import Device, Listener, Part, Setup
from brucke.core.edits.route_edits import put_on_this_computer
from brucke.core.routing.rows import rows_of
from brucke.core.storage.templates import TEMPLATES
from brucke.ports.devices.kind import DeviceError
from brucke.ports.devices.older.modules import owner, sink_arguments
from brucke.ports.devices.older.wiring import older_wirings
from brucke.ports.devices.opening import wiring_of
from brucke.ports.devices.server import library
from brucke.ports.devices.server.graph import Graph, devices_there, missing_links, wanted_links
from brucke.ports.devices.server.mistakes import Mistake, mistakes
from brucke.ports.devices.server.names import ENGINE, SERVER, choosing, chosen_ends
from brucke.ports.devices.server.port import reported
from brucke.ports.devices.server.queue import BlockQueue
from brucke.ports.devices.server.wiring import SERVERS, made

KIND = "PipeWire:Interface:"


def setup_here():
    devices = tuple(
        Device(id=i, name=i, kind=k, card=SERVER)
        for i, k in (("table", "interface"), ("call", "call"), ("browser", "program"))
    )
    parts = (
        Part(id="voice", name="Voice", kind="lead", device="table", channels=(1,)),
        Part(id="song", name="Song", kind="lead", device="browser", channels=(0, 1)),
    )
    listeners = (
        Listener(id="phones", name="Phones", kind="monitor", device="table"),
        Listener(id="lounge", name="Lounge", kind="call", device="call"),
    )
    return Setup(devices=devices, parts=parts, listeners=listeners)


class Server:
    """Tells a graph of nodes and ports, each with the next number."""

    def __init__(self):
        self.graph, self.next = Graph(), 10

    def tell(self, kind, **properties):
        self.next += 1
        self.graph.came(self.next, KIND + kind, {k.replace("_", "."): str(v) for k, v in properties.items()})
        return self.next

    def node(self, name, ins=(), outs=(), monitor="false", **more):
        node = self.tell("Node", node_name=name, **more)
        ends = {}
        for way, names in (("in", ins), ("out", outs)):
            for place, end in enumerate(names):
                ends[end] = self.tell(
                    "Port", node_id=node, port_id=place, port_name=end, port_direction=way,
                    port_monitor=monitor if way == "out" else "false",
                )  # fmt: skip
        return node, ends


def told():
    s = Server()
    s.graph.property("default.audio.sink", '{"name":"box"}')
    s.graph.property("default.audio.source", '{"name":"desk"}')
    ends = {}
    for name, ins, outs, monitor in (
        ("desk", (), ("capture_FL", "capture_FR"), "false"),
        ("box", ("playback_FL", "playback_FR"), ("monitor_FL", "monitor_FR"), "true"),
        ("brucke.lounge", ("input_FL", "input_FR"), ("capture_FL", "capture_FR"), "true"),
        ("brucke.in.browser", ("playback_FL", "playback_FR"), ("monitor_FL", "monitor_FR"), "true"),
        (ENGINE, ("in 1", "in 2", "in 3"), ("out 1 1", "out 1 2", "out 2 1", "out 2 2"), "false"),
    ):
        _node, found = s.node(name, ins, outs, monitor)
        ends |= {(name, end): id for end, id in found.items()}
    return s, ends


def test_links_lead_from_what_the_desktop_has_chosen_and_to_who_listens():
    s, ends = told()
    engine, lounge = ENGINE, "brucke.lounge"
    assert wanted_links(s.graph, setup_here()) == {
        (ends["desk", "capture_FR"], ends[engine, "in 1"]),
        (ends["brucke.in.browser", "monitor_FL"], ends[engine, "in 2"]),
        (ends["brucke.in.browser", "monitor_FR"], ends[engine, "in 3"]),
        (ends[engine, "out 1 1"], ends["box", "playback_FL"]),
        (ends[engine, "out 1 2"], ends["box", "playback_FR"]),
        (ends[engine, "out 2 1"], ends[lounge, "input_FL"]),
        (ends[engine, "out 2 2"], ends[lounge, "input_FR"]),
    }
    first = next(iter(wanted_links(s.graph, setup_here())))
    link = s.tell("Link", link_output_port=first[0], link_input_port=first[1])
    assert first not in missing_links(s.graph, setup_here())
    s.graph.gone(link)
    assert first in missing_links(s.graph, setup_here())


def test_an_interface_records_and_plays_where_it_was_chosen_to_and_nowhere_else():
    s, ends = told()
    _node, other = s.node(
        "other", ins=("playback_FL", "playback_FR"), media_class="Audio/Sink", node_description="Other box"
    )
    setup = setup_here()
    table = replace(setup.device("table"), card=choosing("gone", "other"))
    setup = replace(setup, devices=(table, *setup.devices[1:]))
    wanted = wanted_links(s.graph, setup)
    assert (ends[ENGINE, "out 1 1"], other["playback_FL"]) in wanted
    assert (ends[ENGINE, "out 1 1"], ends["box", "playback_FL"]) not in wanted
    assert not [f for f, to in wanted if to == ends[ENGINE, "in 1"]], "what was chosen is not there"
    s.node("x" * 91, ins=("a",), media_class="Audio/Sink")
    s.node("a/b", ins=("a",), media_class="Audio/Sink")
    assert devices_there(s.graph, True) == (("other", "Other box"),), "only what a setup can keep"
    assert chosen_ends(table) == ("gone", "other")
    assert choosing("", "") == SERVER


def test_what_leads_back_to_ourselves_is_no_microphone_and_what_is_gone_wants_no_link():
    s, ends = told()
    s.graph.property("default.audio.source", '{"name":"brucke.lounge"}')
    assert not [f for f, to in wanted_links(s.graph, setup_here()) if to == ends[ENGINE, "in 1"]]
    s.graph.gone(next(id for id, n in s.graph.nodes.items() if n.name == ENGINE))
    for id in [e for (name, _), e in ends.items() if name == ENGINE]:
        s.graph.gone(id)
    assert wanted_links(s.graph, setup_here()) == set()


def test_who_listens_is_named_by_program_and_nobody_twice():
    s, ends = told()
    client = s.tell("Client", application_name="Call program")
    _node, ears = s.node("recorder", ins=("input_FL", "input_FR"), client_id=client)
    for side in ("FL", "FR"):
        s.tell("Link", link_output_port=ends["brucke.lounge", f"capture_{side}"], link_input_port=ears[f"input_{side}"])
    assert [n.program for n in s.graph.linked_from(s.graph.node("brucke.lounge"))] == ["Call program"]


def test_a_program_that_records_the_bare_microphone_is_named_and_others_are_not():
    s, ends = told()
    assert mistakes(s.graph, setup_here()) == ()
    s.graph.nodes = {i: replace(n, media="Audio/Source") if n.name == "desk" else n for i, n in s.graph.nodes.items()}
    node, ears = s.node("ear", ins=("input_FL",), media_class="Stream/Input/Audio", application_name="Call program")
    s.tell("Link", link_output_port=ends["desk", "capture_FL"], link_input_port=ears["input_FL"])
    assert mistakes(s.graph, setup_here()) == (
        Mistake("bare", node, "Call program", "desk", "lounge", "brucke.lounge"),
    )
    assert mistakes(s.graph, replace(setup_here(), listeners=setup_here().listeners[:1])) == (), "nothing to give it"
    s.graph.property("default.audio.source", '{"name":"brucke.lounge"}')
    assert mistakes(s.graph, setup_here())[1] == Mistake("default", device="desk", target="desk")
    s.node(ENGINE)
    assert mistakes(s.graph, setup_here())[-1] == Mistake("twice")


@settings(max_examples=200)
@given(
    st.lists(
        st.tuples(
            st.integers(0, 40), st.sampled_from(["Node", "Port", "Link", "Client", "Metadata", "", ":", "Core"]),
            st.dictionaries(
                st.sampled_from(["node.name", "node.id", "port.id", "port.direction", "link.output.port",
                "link.input.port", "client.id", "media.class", "application.name", "metadata.name"]),
                st.one_of(st.text(max_size=20), st.sampled_from([ENGINE, "brucke.lounge", "true", "out", "-1", "9" * 30,
                "٣"])), max_size=6,
            ),
        ), max_size=30,
    ),
    st.text(max_size=30),
)  # fmt: skip
def test_whatever_is_told_never_raises(told, value):
    graph = Graph()
    for id, kind, properties in told:
        graph.came(id, KIND + kind, properties)
    for said in (value, '{"name": 3}', "[]", "null", '{"name":' + value):
        graph.property("default.audio.sink", said)
        graph.property("default.audio.source", said)
    missing_links(graph, setup_here())
    mistakes(graph, setup_here())
    for node in graph.nodes.values():
        graph.linked_from(node)
    for id, _kind, _properties in told[::2]:
        graph.gone(id)
    missing_links(graph, setup_here())


@pytest.mark.parametrize("template", TEMPLATES, ids=lambda t: t.code)
def test_every_beginning_can_be_of_this_computer(template):
    setup = put_on_this_computer(template.make())
    wiring = wiring_of(setup)
    names = [n for _, n in wiring.inputs] + [n for _, _, n in wiring.outputs]
    assert len(set(names)) == len(names)
    microphones = {m.of for m in made(setup) if not m.output}
    assert microphones == {x.id for x in setup.listeners if x.kind in ("call", "stream", "program")}
    assert {m.node for m in made(setup)} == {m.node for m in made(put_on_this_computer(setup))}


@pytest.mark.parametrize("file", ["libnowhere.so.1", "libc.so.6"], ids=["not here", "lacks everything"])
def test_a_library_that_cannot_be_used_is_one_sentence(file, monkeypatch):
    monkeypatch.setattr(library, "FILES", (file,))
    library.library.cache_clear()
    try:
        with pytest.raises(DeviceError, match=r"^the desktop's sound server: its library cannot be used \(.+\)$"):
            wiring_of(setup_here()).check(48000)
        assert SERVERS.found() == [], "a sound card may still be there"
    finally:
        library.library.cache_clear()


@settings(max_examples=60)
@given(
    st.sampled_from([16, 100, 128, 441, 1024]),
    st.lists(st.tuples(st.integers(1, 700), st.integers(1, 12)), min_size=1, max_size=4),
)
def test_cycles_of_any_length_are_whole_blocks_no_later_than_they_must_be(n, runs):
    queue = BlockQueue(2, 2, n)

    def block():
        queue.go[:] = queue.come
        return True

    for cycle, times in runs:
        sound = np.arange(1, 2 * cycle * times + 1, dtype=np.float32).reshape(2, -1)
        heard = np.full_like(sound, np.nan)
        queue._cycle = 0  # begins anew also where the next run is as long
        for at in range(0, cycle * times, cycle):
            assert queue.run(sound[:, at : at + cycle], heard[:, at : at + cycle], block)
        late = min(queue.wait, cycle * times)
        assert queue.wait == n - math.gcd(n, cycle)
        assert not heard[:, :late].any()
        np.testing.assert_array_equal(heard[:, late:], sound[:, : sound.shape[1] - late])
    heard = np.ones((2, n), np.float32)
    assert not queue.run(np.ones_like(heard), heard, lambda: False)
    assert not heard.any(), "silent once it has ended"


def test_what_the_servers_clock_says_of_the_hardware_is_believed_within_reason():
    assert reported(480, 48000) == (0.01, 0.0)
    assert reported(-480, 48000) == (0.0, 0.01)
    assert reported(0, 48000) == reported(2**62, 48000) == reported(-(2**62), 48000) == (0.0, 0.0)


@example("brucke.pid=1")
@given(st.text(max_size=200))
def test_no_name_ends_the_arguments_of_a_module_or_makes_it_anothers(name):
    """Outside: the arguments are read as the older protocol's servers do, quotes inside quotes."""
    told = sink_arguments("brucke.x", name, 2)
    inside = told.split("sink_properties='", 1)[1]
    assert inside.count("'") == 1
    assert inside.count('"') == 2
    assert "\\" not in inside
    assert owner(told) == os.getpid()


def test_by_the_older_protocol_the_interface_leads_and_everybody_else_has_a_stream_of_their_own():
    setup = setup_here()
    leads, others = older_wirings(setup, rows_of(setup).order(setup))
    assert (leads.source, leads.sink, leads.inputs) == ("", "", 2)
    ends = {(w.source, w.sink, w.inputs, w.outputs) for w in others}
    assert ends == {("brucke.in.call.monitor", "brucke.lounge.out", 0, 2), ("brucke.in.browser.monitor", "", 2, 0)}
