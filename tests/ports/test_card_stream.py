"""Threads that wait for the sound server leave it a core; the process that begins them stays what it was."""

import os
import threading

import pytest

from brucke.ports.devices.card_stream import SERVED_NICE, waiting_for_server


def scheduling():
    return os.sched_getscheduler(0), os.sched_getparam(0).sched_priority, os.getpriority(os.PRIO_PROCESS, 0)


def begun_here():
    seen = []
    thread = threading.Thread(target=lambda: seen.append(scheduling()))
    thread.start()
    thread.join()
    return seen[0]


def in_a_thread_of_its_own(work):
    """Scheduling belongs to a thread: the test's own stays as it is."""
    result = []
    thread = threading.Thread(target=lambda: result.append(work()))
    thread.start()
    thread.join()
    return result[0]


def test_a_stream_that_waits_for_the_server_has_no_real_time_priority_and_its_process_keeps_it():
    def work():
        try:
            os.sched_setscheduler(0, os.SCHED_FIFO, os.sched_param(20))
        except PermissionError:
            return None
        first, before = begun_here(), scheduling()
        with waiting_for_server():
            inside = begun_here()
        return first, before, inside, scheduling()

    seen = in_a_thread_of_its_own(work)
    if seen is None:
        pytest.skip("this user may not ask for real-time priority")
    first, before, inside, after = seen
    assert first == before == after
    assert before[:2] == (os.SCHED_FIFO, 20)
    assert inside[:2] == (os.SCHED_OTHER, 0)
    assert inside[2] >= SERVED_NICE
