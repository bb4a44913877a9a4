"""Widgets that are put away, and long work that tells how far it is."""

from __future__ import annotations

import threading
import weakref

import pytest
import shiboken6
from PySide6.QtCore import QObject
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QVBoxLayout, QWidget

from choreon.ui.widgets import basics
from choreon.ui.widgets.discard import discard
from choreon.ui.widgets.numbers import NumberField
from choreon.ui.widgets.work import Work
from tests.conftest import until


@pytest.fixture(autouse=True)
def app(qapp):
    return qapp


def wait_for(what) -> None:
    until(lambda: QTest.qWait(10) or what())


def test_what_is_put_away_is_known_until_it_is_destroyed_and_no_longer():
    held = [QWidget()]
    box = QVBoxLayout(held[0])
    fields = [NumberField(f"n{i}", 0, 9, i) for i in range(5)]
    for field in fields:
        box.addWidget(field)
    known = [weakref.ref(field) for field in fields]
    destroyed = []
    fields[3].destroyed.connect(lambda: destroyed.append(known[3]() is not None))
    discard(held[0])
    del fields, field, box
    assert all(ref() is not None for ref in known)  # though nobody else knows them
    wait_for(lambda: not shiboken6.isValid(held[0]))
    assert destroyed == [True]
    held.clear()
    wait_for(lambda: all(ref() is None for ref in known))


def test_a_thousand_forms_are_built_and_put_away():
    """As a form is that is filled anew at each edit."""
    page = QWidget()
    box = QVBoxLayout(page)
    page.show()
    for i in range(300):
        basics.clear(box)
        for n in range(4):
            box.addWidget(NumberField(f"n{n}", 0, 9, i % 9))
        if i % 7 == 0:
            QTest.qWait(1)
    wait_for(lambda: len(page.findChildren(NumberField)) == 4)
    page.close()


def test_work_tells_how_far_it_is_and_can_be_stopped():
    owner = QObject()
    work = Work(owner)
    told: list[str] = []
    work.told.connect(told.append)
    go, killed = threading.Event(), []

    def act() -> int:
        for n in range(1000):
            work.far(f"row {n}")
            if go.wait(0.01):
                break
        return 5

    found: list[int] = []
    work.run("Reading", act, found.append, found.append, lambda: killed.append(1))
    wait_for(lambda: any(text.startswith("Reading: row ") for text in told))
    count = len(told)
    wait_for(lambda: len(told) > count + 1)  # again and again
    work.stop()
    go.set()
    assert (killed, told[-1]) == ([1], "")
    assert not work.busy
    QTest.qWait(50)
    assert found == []
