"""What runs is watched beside the window, by what it says; what cannot start is not tried without a pause."""

from collections import deque

from brucke.engine.processes.backoff import LONGEST_PAUSE_S, Backoff
from brucke.engine.processes.region import Head
from brucke.engine.processes.supervisor import HANG_S, LOOK_S, STAND_BYS, Supervisor


class Living:
    alive = True


class Link:
    """An engine of numbers."""

    def __init__(self):
        self.world, self.engine, self.standbys = Living(), Living(), []
        self.frames, self.restarts, self.made = 0, 0, []
        self.running, self.standbys_live = True, True

    @property
    def engine_died(self):
        return not self.engine.alive

    def get(self, head):
        return self.frames if head == Head.FRAMES else 0

    def restart_engine(self):
        self.restarts += 1
        self.engine = Living()
        self.engine.alive = self.starts
        self.frames += 0

    starts = True

    def stand_by(self):
        self.made.append(self.now)
        if self.standbys_live:
            self.standbys.append(Living())

    def listen(self):
        pass

    def watch_helpers(self):
        return []


def watch(link, supervisor, seconds, flows=lambda t: True, begin=0.0):
    """So many seconds of looks."""
    now = begin
    while now < begin + seconds:
        now += LOOK_S
        link.now = now
        link.frames += flows(now)
        supervisor.look(now)
    return now


def test_an_engine_that_ends_or_hangs_is_replaced_and_one_that_cannot_start_is_tried_less_and_less_often():
    link = Link()
    supervisor = Supervisor(link)
    now = watch(link, supervisor, 3.0)
    assert link.restarts == 0
    link.engine.alive = False
    now = watch(link, supervisor, 0.2, begin=now)
    assert (link.restarts, list(supervisor.told)) == (1, ["restarting"])
    now = watch(link, supervisor, 20.0, begin=now)
    now = watch(link, supervisor, HANG_S + 0.5, flows=lambda t: False, begin=now)
    assert link.restarts == 2, "it lives, and gives nothing"
    now = watch(link, supervisor, 20.0, begin=now)
    link.starts, link.engine.alive = False, False
    watch(link, supervisor, 120.0, flows=lambda t: False, begin=now)
    assert 6 <= link.restarts - 2 <= 12, "not twenty times a second"


def test_standbys_that_cannot_start_are_no_rain_of_processes():
    link = Link()
    watch(link, Supervisor(link), 60.0)
    assert len(link.made) == STAND_BYS
    link = Link()
    link.standbys_live = False
    watch(link, Supervisor(link), 120.0)
    assert 5 <= len(link.made) <= 12
    assert link.made[-1] - link.made[-2] >= LONGEST_PAUSE_S / 2


def test_pauses_grow_and_begin_anew_with_what_runs_well():
    pauses, now, waits = Backoff(), 0.0, deque()
    for _ in range(12):
        assert pauses.may(now)
        pauses.begins(now)
        waits.append(pauses.again_at - now)
        now = pauses.again_at
    assert list(waits)[:4] == [0.0, 0.5, 1.0, 2.0]
    assert waits[-1] == LONGEST_PAUSE_S
    pauses.begins(now + 60.0)
    assert pauses.may(now + 60.0), "it ran for a minute"


def test_what_goes_wrong_in_a_look_is_kept_for_whoever_shows_it_and_the_looks_go_on():
    link = Link()
    supervisor = Supervisor(link, also=lambda: 1 / 0)
    supervisor.start()
    while len(supervisor.failures) < 2:
        link.now = 0.0
    supervisor.stop()
    assert isinstance(supervisor.failures[0], ZeroDivisionError)
