"""What a thread worked out arrives in the window's thread, or nowhere."""

from __future__ import annotations

import threading
import weakref

import shiboken6
from PySide6.QtCore import QObject

from choreon.ui.widgets import beside


def in_a_thread(act) -> None:
    thread = threading.Thread(target=act)
    thread.start()
    thread.join()


def test_a_result_arrives_in_the_thread_of_the_window(qtbot):
    owner = QObject()
    found = []
    hand_over = beside.post(owner, lambda r: found.append((r, threading.get_ident())))
    in_a_thread(lambda: hand_over(7))
    assert found == []  # not in the other thread
    qtbot.waitUntil(lambda: bool(found))
    assert found == [(7, threading.get_ident())]


def test_for_whoever_has_gone_meanwhile_it_arrives_nowhere(qtbot):
    owner, other = QObject(), QObject()
    found = []
    to_owner = beside.post(owner, lambda r: found.append("owner"))
    to_other = beside.post(other, lambda r: found.append("other"))
    in_a_thread(lambda: (to_owner(1), to_other(1)))
    shiboken6.delete(owner)
    qtbot.waitUntil(lambda: bool(found))
    assert found == ["other"]


def test_a_thread_is_never_the_last_to_know_a_view(qtbot):
    """Else it would be taken apart in the thread."""

    class View(QObject):
        def take(self, result: object) -> None:
            found.append(result)

    found: list[object] = []
    view = View()
    to_view = beside.post(view, view.take)
    gone = weakref.ref(view)
    del view
    assert gone() is None  # though the thread may still call
    other = QObject()
    last = beside.post(other, found.append)
    in_a_thread(lambda: (to_view(1), last(2)))
    qtbot.waitUntil(lambda: bool(found))
    assert found == [2]
