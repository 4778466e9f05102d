"""In which order programs stand, and what one press makes of them."""

from types import SimpleNamespace

from msgspec.structs import replace

from brucke.app.engine.engine_view import EngineView
from brucke.app.measuring.headphone_check import HeadphoneCheck
from brucke.app.session.session import Session
from brucke.app.sound_server.programs import Program, in_their_order
from brucke.app.sound_server.stream_capture import (
    directly,
    heard_directly,
    lead_of,
    part_of,
    with_program,
    with_song,
    without_program,
)
from brucke.core.edits.route_edits import put_on_this_computer
from brucke.core.storage.templates import TEMPLATES
from brucke.core.timing.arrivals import RouteTiming
from brucke.core.timing.paths import Stage
from brucke.core.timing.uncertain import Uncertain
from brucke.engine.step.live import Live
from brucke.ports.devices.server.names import taken_program, taking
from brucke.rehearse import equipment
from brucke.words.this_computer import route_evidence_text

from ..desktop_server import setup_here

SIXTY = tuple(Program(f"p{i:02d}", sounds=i in (40, 41), used=i in (50, 51)) for i in range(60))


def test_parts_then_what_sounds_then_what_was_used_and_nothing_moves_under_the_pointer():
    setup = with_program(setup_here(), "p59")
    order = in_their_order(SIXTY, setup, (), still=False)
    assert order[:5] == ("p59", "p40", "p41", "p50", "p51")
    assert set(order) == {p.name for p in SIXTY}
    louder = tuple(replace_sounds(p, p.name == "p10") for p in SIXTY)
    assert in_their_order(louder, setup, order, still=True) == order
    assert in_their_order(louder, setup, order, still=False)[:3] == ("p59", "p10", "p50")
    fewer = (*SIXTY[:59], Program("new", sounds=True, used=False))
    kept = in_their_order(fewer, setup, order, still=True)
    assert kept[-1] == "new", "who comes stands at the end until the pointer has left"
    assert kept[:-1] == order[1:]


def replace_sounds(p, sounds):
    return Program(p.name, sounds, p.used)


def test_a_program_becomes_a_part_of_its_own_or_what_waited_for_one_or_a_far_end():
    setup = with_program(setup_here(), "Web browser")
    assert part_of(setup, "Web browser").id == "song", "that waited"
    setup = with_program(setup, "Messages")
    part = part_of(setup, "Messages")
    assert (part.name, part.channels) == ("Messages", (0, 1))
    assert [d.id for d in setup.devices][:3] == ["table", "browser", "call"], "nothing that was there moved"
    setup = with_program(setup, "Call program", "lounge")
    far = part_of(setup, "Call program")
    assert (far.kind, far.returns_from) == ("far_end", "lounge")
    assert not setup.route(far.id, "lounge") or not setup.route(far.id, "lounge").on, "never back to that call"
    assert heard_directly(directly(setup, "Messages", True), "Messages")
    assert not heard_directly(directly(directly(setup, "Messages", True), "Messages", False), "Messages")
    left = without_program(setup, "Messages")
    assert part_of(left, "Messages") is None
    assert left.part(part.id) == part, "the part stays and waits"
    assert taken_program(left.device(part.device)) == ""
    assert replace(setup.device("browser"), card=taking("")) == setup_here().device("browser")


def test_the_song_takes_the_place_of_the_backing_track_or_of_what_the_leads_device_played():
    templates = {t.code: put_on_this_computer(t.make()) for t in TEMPLATES}
    sung = with_song(templates["sing"], "Web browser")
    lead = lead_of(sung)
    assert (lead.id, lead.source, lead.tracks) == ("music", "program", ())
    assert taken_program(sung.device(lead.device)) == "Web browser"
    assert not [d for d in sung.devices if d.kind == "player"], "nobody plays from a file any more"
    assert sung.part("voice").follows == "music"
    mixed = with_song(templates["workstation"], "Workstation")
    assert taken_program(mixed.device(lead_of(mixed).device)) == "Workstation"
    assert len(mixed.parts) == len(templates["workstation"].parts), "it is the lead, and no part more"
    at_the_desk = replace(setup_here(), parts=(replace(setup_here().part("voice"), kind="lead"),))
    assert len(with_song(at_the_desk, "Web browser").parts) == 2, "an interface is no program"


def test_a_way_is_known_no_better_than_its_worst_converter():
    stage = Stage("capture", Uncertain(0.001), "measured", "")
    route = RouteTiming("p", "lead", "p", Uncertain(0.0), (stage,), Uncertain(0.0), 0, 0, None)
    assert route_evidence_text(route) == "measured"
    half = replace(route, stages=(stage, replace(stage, code="output", evidence="calculated")))
    assert route_evidence_text(half) == "calculated"
    assert route_evidence_text(replace(route, stages=())) == "calculated", "of nothing measured nothing is"


def test_a_soft_tone_that_cannot_sound_is_not_called_heard(app):
    session, said = Session(equipment), []
    session.replace(setup_here())
    session.noticed.connect(lambda text, _tone: said.append(text))
    running = EngineView(session)
    running.state = "running"
    running.link = SimpleNamespace(listen_back=lambda *_: None, stop_listening_back=lambda: None)
    check = HeadphoneCheck(session, running, SimpleNamespace(end_names={"table": ("room", "bluez_output.1")}))
    assert check.begin()
    check.answer("left")
    check.answer("right")
    assert check.found == ("wireless",), "by what the server calls it"
    assert check.heard
    check.desktop.end_names = {"table": ("room", "box")}
    assert not check.heard, "other headphones want another check"
    session.set_live(Live(on_air=True))
    assert not check.begin()
    session.set_live(Live())
    running.state = "restarting"
    assert not check.begin()
    assert said == [
        "They hear you: no tone is played.",
        "The engine is starting again by itself. Try again once it sounds.",
    ]
