"""Heavy files in a process of their own; and shows of the earlier format."""

from __future__ import annotations

import io
import json
import threading
import zipfile

import msgspec
import pytest

from choreon.demo import low_tide
from choreon.formats import apart, gdtf, mvr, showfile
from choreon.formats.apart import Apart, ApartAnswer
from choreon.formats.package import FormatError
from choreon.library import library
from choreon.model import edits
from choreon.model.changes import shared
from choreon.model.fixture_type import Channel, FixtureType, Mode, Range, Use
from choreon.model.show import Show
from tests.conftest import until

SHOW = low_tide()
SPOT = library()["ostrey-spot-160"]


def test_jobs_come_back_as_they_would_here():
    made = Apart(apart.WriteType(SPOT)).run()
    assert gdtf.read(made).kind == SPOT
    found = msgspec.msgpack.decode(
        Apart(apart.ReadType(made, "spot.gdtf")).run(), type=gdtf.Imported
    )
    assert found == gdtf.read(made)
    rig = Apart(apart.WriteRig(SHOW)).run()
    job = apart.ReadRig(rig, "rig.mvr", Show(id="e", name="E"), {})
    assert len(msgspec.msgpack.decode(Apart(job).run(), type=mvr.Rigged).added) == 50
    assert Apart(apart.Print(SHOW, ("slips",), ())).run().startswith(b"%PDF")


def test_a_files_fault_comes_back_in_words():
    with pytest.raises(FormatError, match=r"bad\.gdtf is not a zip file"):
        Apart(apart.ReadType(b"x", "bad.gdtf")).run()


def test_work_that_is_let_go_ends():
    job = Apart(apart.WriteRig(SHOW))
    raised: list[Exception] = []

    def run() -> None:
        try:
            job.run()
        except FormatError as error:
            raised.append(error)

    thread = threading.Thread(target=run)
    thread.start()
    until(lambda: job.child is not None)
    job.kill()
    thread.join(10)
    assert len(raised) == 1
    early = Apart(apart.WriteRig(SHOW))
    early.kill()
    with pytest.raises(FormatError):
        early.run()


def test_the_child_answers_by_itself(monkeypatch, capsysbinary):
    class Stdin:
        buffer = io.BytesIO(msgspec.msgpack.encode(apart.ReadType(b"x", "bad.gdtf")))

    monkeypatch.setattr("sys.stdin", Stdin())
    monkeypatch.setattr(apart.resource, "setrlimit", lambda *_: None)
    assert apart.main() == 0
    answer = msgspec.msgpack.decode(capsysbinary.readouterr().out, type=ApartAnswer)
    assert "is not a zip file" in answer.wrong


def test_what_came_back_shares_what_did_not_change():
    back = msgspec.msgpack.decode(
        msgspec.msgpack.encode(
            edits.change_fixtures(SHOW, {"par-1": {"address": 300}})
        ),
        type=Show,
    )
    merged = shared(SHOW, back)
    assert merged.playables is SHOW.playables
    assert merged.fixtures["par-2"] is SHOW.fixtures["par-2"]
    assert merged.fixtures["par-1"].address == 300
    assert (
        shared(SHOW, msgspec.msgpack.decode(msgspec.msgpack.encode(SHOW), type=Show))
        == SHOW
    )


def test_a_show_of_the_first_format_means_what_it_meant():
    """Then a channel without a meaning was kept as its bare value: gobo 30 lies in 24…35, the second gobo."""
    old = edits.put(SHOW, "playables", edits.replace(SHOW.playables["dots"], look={
        "spot-1": {"Dimmer": 0.5, "gobo": 30.0, "control": 5.0, "PositionMSpeed": 255.0, "gobo-turn": 64.0},
        "hazer-1": {"Fog1": 102.0}, "gone": {"gobo": 30.0}}))  # fmt: skip
    data = io.BytesIO(showfile.to_bytes(old))
    with zipfile.ZipFile(data) as archive:
        members = {n: archive.read(n) for n in archive.namelist()}
    document = json.loads(members["show.json"])
    document["format"] = 1
    stored = document["show"]
    stored["scenes"] = stored.pop("playables")
    for later in ("masters", "pages", "inputs", "outputs"):
        del stored[later]
    members["show.json"] = json.dumps(document).encode()
    again = io.BytesIO()
    with zipfile.ZipFile(again, "w") as archive:
        for name, body in members.items():
            archive.writestr(name, body)
    look = showfile.from_bytes(again.getvalue()).playables["dots"].look
    assert look["hazer-1"] == {"Fog1": 0.4}
    assert look["gone"] == {"gobo": 30.0}
    spot = look["spot-1"]
    assert (
        spot["Dimmer"],
        spot["Gobo1"],
        spot["dmx:control"],
        spot["PositionMSpeed"],
    ) == (0.5, 2.0, 5.0, 8.0)
    assert spot["Gobo1Pos"] == pytest.approx(181.4, abs=0.1)
    assert (
        showfile.from_bytes(showfile.to_bytes(old)).playables["dots"].look
        == old.playables["dots"].look
    )


def test_types_of_the_first_format_still_read():
    plain = FixtureType(
        id="x", maker="", name="X", kind="", channels=(Channel(key="c", ranges=(Range(start=0, end=255, attribute="Dimmer"),)),),
        modes=(Mode(name="m", uses=(Use("c", (1,)),)),),
    )  # fmt: skip
    assert msgspec.json.decode(b'{"id":"x","maker":"","name":"X","kind":"","channels":[{"key":"c","ranges":[{"start":0,"end":255,'
                               b'"attribute":"Dimmer"}]}],"modes":[{"name":"m","uses":[{"channel":"c","slots":[1]}]}]}',
                               type=FixtureType) == plain  # fmt: skip
