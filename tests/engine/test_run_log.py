"""What was gone to, and when, as it is written down; and what the next run learns."""

from __future__ import annotations

import csv
import io

from choreon.engine import run_log
from choreon.engine.actions import perform
from choreon.engine.do import Do
from choreon.engine.run_log import RunLog, folder_of, gaps_of, last_runs
from choreon.model import edits
from choreon.model.playables import Stack
from choreon.model.playables.stack import Cue
from choreon.model.refs import Ref
from choreon.model.show import Show
from choreon.model.verbs import Verb
from tests import play

STACK = Ref("stack", "k")


def rows_of(path):
    return list(csv.DictReader(io.StringIO(path.read_text())))


def show() -> Show:
    cues = tuple(
        Cue(id=f"q{n}", number=float(n), name=f"Cue, {n}") for n in range(1, 4)
    )
    stack = Stack(id="k", name="K", cues=cues, guard=0.0, fade_out=0.0)
    return edits.put(Show(id="../s how", name="S"), "playables", stack)


class Evening:
    """A log with clocks in hand."""

    def __init__(self) -> None:
        self.now, self.wall = 100.0, 1_700_000_000.0
        self.log = RunLog(lambda: self.now, lambda: self.wall)
        self.show, self.state = show(), play.blank()

    def do(self, verb: Verb, ref: Ref = STACK) -> None:
        self.state = perform(self.show, self.state, Do(ref, verb), self.now)
        self.look()

    def look(self) -> None:
        self.log.look(self.show, play.prune(self.state, self.now))

    def wait(self, seconds: float) -> None:
        self.now += seconds
        self.wall += seconds
        self.look()

    def run(self, *gaps: float) -> None:
        """A whole run, and the end of it."""
        self.do(Verb.GO)
        for gap in gaps:
            self.wait(gap)
            self.do(Verb.GO)
        player = self.state.players[0].id
        self.do(Verb.RELEASE, Ref("player", player))
        self.state = play.prune(self.state, self.now)
        self.wait(60.0)


def test_a_line_a_cue_with_its_time(own_folders):
    evening = Evening()
    evening.run(80.0, 12.5)
    (path,) = last_runs(evening.show.id, "k")
    assert folder_of(evening.show.id, "k").parent.parent.name == "runs"
    rows = rows_of(path)
    assert [row["cue"] for row in rows] == ["1", "2", "3"]
    assert [row["name"] for row in rows] == ["Cue, 1", "Cue, 2", "Cue, 3"]
    assert [row["seconds"] for row in rows] == ["0.0", "80.0", "92.5"]
    assert rows[0]["time"][:4] == "2023"


def test_the_next_rehearsal_knows_how_long_an_act_is(own_folders):
    evening = Evening()
    evening.run(80.0, 10.0)
    evening.run(60.0, 14.0)
    runs = last_runs(evening.show.id, "k")
    assert len(runs) == 2
    assert gaps_of(runs) == {("q1", "q2"): 70.0, ("q2", "q3"): 12.0}


def test_back_and_again_is_written_as_it_was(own_folders):
    evening = Evening()
    evening.do(Verb.GO)
    evening.wait(5.0)
    evening.do(Verb.GO)
    evening.wait(5.0)
    evening.do(Verb.BACK)
    evening.wait(5.0)
    evening.do(Verb.GO)
    rows = rows_of(last_runs(evening.show.id, "k")[0])
    assert [row["id"] for row in rows] == ["q1", "q2", "q1", "q2"]


def test_only_the_last_runs_are_kept(own_folders, monkeypatch):
    monkeypatch.setattr(run_log, "MOST_RUNS", 3)
    evening = Evening()
    for _ in range(5):
        evening.run(1.0)
    assert len(last_runs(evening.show.id, "k", 99)) == 3


def test_a_disk_that_refuses_is_told_once_and_the_show_goes_on(own_folders, caplog):
    folder_of("../s how", "k").parent.parent.parent.joinpath("runs").write_text("x")
    evening = Evening()
    evening.run(1.0, 1.0)
    assert evening.log.trouble
    assert sum("cannot be written" in line for line in caplog.messages) == 1


def test_files_that_cannot_be_read_count_for_nothing(own_folders, tmp_path):
    damaged = tmp_path / "a.csv"
    damaged.write_bytes(b"time,seconds,cue,name,id\n\xff\xfe,x,1,,q1\n\0\0,2")
    assert gaps_of([damaged, tmp_path / "none.csv"]) == {}


def test_no_name_leads_out_of_the_folder(own_folders):
    root = folder_of("a", "b").parent.parent
    for wild in ("..", "../..", "/etc", ".", "", "a/../../b", "ä"):
        assert folder_of(wild, wild).resolve().is_relative_to(root.resolve())
        assert len(folder_of(wild, wild).relative_to(root).parts) == 2
