"""In which order programs stand, and what one press makes of them."""

from msgspec.structs import replace

from brucke.desk.programs import Program, in_their_order
from brucke.desk.taking_over import directly, heard_directly, part_of, with_program, without_program
from brucke.ports.devices.server.names import taken_program, taking

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
