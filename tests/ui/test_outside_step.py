"""A step outside is added, moved and told about in Shape."""

from brucke.core.routing.outside_steps import placed_steps
from brucke.core.sound.processors import OutsideStep

from .conftest import wait


def test_a_step_is_added_moved_and_what_would_howl_is_said_until_it_is_mended(window):
    w, shape = window, window.shape
    w.go_to("shape")
    shape.choose_owner("part/cello")
    before = w.session.setup
    shape.add_processor("outside_step")
    card, cello = shape.outside, w.session.setup.part("cello")
    assert card.isVisible()
    assert isinstance(cello.chain[-1], OutsideStep)
    assert card.where.text() == "Out on 3 and 4 of Table interface, back on 3 and 4."
    assert "was not measured yet" in card.takes.text()
    card.back.setValue(9)
    assert placed_steps(w.session.setup)[0].step.return_channels == (8, 9)
    assert not card.fault.text()
    card.back.setValue(cello.channels[0] + 1)
    wait(lambda: "howls" in card.fault.text(), 3)
    assert any(f == "circle" for f in w.studio.shaping.outside.faults.values())
    card.back.setValue(9)
    wait(lambda: not card.fault.text(), 3)
    for _ in range(3):
        shape.add_processor("outside_step")
    shape.add_processor("outside_step")
    assert len(placed_steps(w.session.setup)) == 4
    assert any("steps outside are the most" in text for text in w.notice.texts)
    while w.session.setup != before:
        w.do("undo")
