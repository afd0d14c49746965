"""Nothing that somebody wrote is lost: project and console against a model of what may happen to each text."""

import contextlib
import tempfile
from pathlib import Path

import pytest
from desk import Desk
from hypothesis import seed, settings
from hypothesis import strategies as st
from hypothesis.stateful import RuleBasedStateMachine, initialize, invariant, rule, run_state_machine_as_test

from conftest import SEARCH, promises
from tavolan.consoles.base import read_base
from tavolan.consoles.content import Place, holding_of
from tavolan.consoles.pull import plan_pull, pull
from tavolan.consoles.push import plan_push, push
from tavolan.project.load import load_project
from tavolan.project.text_writing import TextWriter
from tavolan.project.texts import TextChange, Texts

PLACES = [Place("text", tag, name) for tag in ("en-US", "de-DE") for name in ("subtitle", "promo", "description")]
# A description has at least ten characters.
WORDS = [f"{word} and its glaze" for word in ("kiln", "clay", "raku", "bisque")]
places, words = st.sampled_from(PLACES), st.sampled_from(WORDS)


class Killed(BaseException):
    """Stands for a kill: nothing may catch it."""


class TwoSides(RuleBasedStateMachine):
    """Random edits on both sides, pulls, pushes, kills and faults; the model says what each side must have then."""

    @initialize(store=st.sampled_from(["ios", "android"]))
    def begin(self, store):
        self.folder = tempfile.TemporaryDirectory()
        self.desk = Desk(Path(self.folder.name), store)
        self.desk.write()
        if store == "ios":
            self.desk.client.begin_version("2.0")
        names = {"promo": "short", "subtitle": "title"} if store == "android" else {}
        self.places = {place: place._replace(field=names.get(place.field, place.field)) for place in PLACES}
        self.base, self.here, self.there = ({} for _ in range(3))

    def teardown(self):
        if hasattr(self, "folder"):
            self.desk.close()
            self.folder.cleanup()

    @rule(place=places, text=st.none() | words)
    def edit_here(self, place, text):
        at = self.places[place]
        texts = Texts(load_project(self.desk.root))
        before = texts.get(at.locale, at.field)
        TextWriter(texts).write([TextChange(at.locale, at.field, before, text or "")])
        self.put(self.here, at, text)

    @rule(place=places, text=st.none() | words)
    def edit_there(self, place, text):
        at = self.places[place]
        self.desk.somebody_writes(at.locale, **{at.field: text})
        self.put(self.there, at, text)

    @rule(keep=st.sampled_from(["", "mine", "theirs"]))
    def pull(self, keep):
        found = self.desk.compared()
        pull(found, plan_pull(found, keep))
        for at in self.places.values():
            base, here, there = (side.get(at) for side in (self.base, self.here, self.there))
            changed_there, changed_here = there != base, here != base
            if here == there or (changed_there and (not changed_here or keep)):
                self.put(self.base, at, there)
                if keep == "theirs" or not changed_here:
                    self.put(self.here, at, there)

    @rule(drop=st.integers(0, 3), kill_after=st.none() | st.integers(0, 2))
    def push(self, drop, kill_after):
        found = self.desk.compared()
        plan = plan_push(found)
        if plan.conflicts:
            return
        self.desk.manners.drop = drop

        def count(done, _):
            if kill_after is not None and done > kill_after:
                raise Killed

        with contextlib.suppress(Killed):
            push(found, plan, count)
        self.desk.manners.drop = 0
        # Where it was killed, each text was sent or not, and noted or not.
        base, there = read_base(self.desk.root, self.desk.store), self.desk.texts_there()
        for at in self.places.values():
            sent = self.there.get(at) == self.base.get(at)
            assert there.get(at) in ((self.here.get(at),) if sent and kill_after is None else
                                     (self.there.get(at), self.here.get(at) if sent else self.there.get(at)))  # fmt: skip
            assert base.get(at) in (self.base.get(at), self.here.get(at))
            if kill_after is None and (sent or self.here.get(at) == self.there.get(at)):
                assert base.get(at) == self.here.get(at)
            self.put(self.there, at, there.get(at))
            self.put(self.base, at, base.get(at))

    @staticmethod
    def put(side, at, text):
        if text:
            side[at] = text
        else:
            side.pop(at, None)

    @invariant()
    def both_sides_are_as_the_model_says(self):
        if not hasattr(self, "desk"):
            return
        project = load_project(self.desk.root)
        known = set(self.places.values())
        here = holding_of(project, project.stores[self.desk.store]).content
        assert {at: text for at, text in here.items() if at in known} == self.here
        assert self.desk.texts_there() == self.there
        assert read_base(self.desk.root, self.desk.store) == self.base


# 25 sequences in the suite; `make fuzz` tries many times as many, in parts so that processes share them.
@pytest.mark.parametrize("part", range(2 if SEARCH else 1))
def test_nothing_that_somebody_wrote_is_lost_without_a_decision(part):
    machine = seed(part)(type(f"TwoSides{part}", (TwoSides,), {}))
    run_state_machine_as_test(machine, settings=settings(max_examples=100 * SEARCH or 25, stateful_step_count=7))


@promises(
    "Every comparison has three sides: the *base* (what both last agreed on, in `consoles/<store>.toml`), the project, and the console.",
    "So each text, fact and set of pictures is one of: the same, changed here, changed there, changed on both sides.",
)
@pytest.mark.parametrize("keep", ["mine", "theirs"])
def test_after_pull_and_push_both_sides_are_equal(tmp_path, keep):
    desk = Desk(tmp_path)
    desk.write(en_US={"subtitle": "Clay notes", "promo": "New"}, de_DE={"subtitle": "Tonnotizen"})
    found = desk.compared()
    assert len(push(found, plan_push(found)).sent) == 3
    desk.somebody_writes("en-US", subtitle="Kiln notes", promo=None)
    desk.somebody_writes("de-DE", promo="Neu")
    desk.write(en_US={"subtitle": "Glaze notes", "promo": "New"}, de_DE={"subtitle": "Tonnotizen"})
    found = desk.compared()
    sides = {str(cell.place): cell.side for cell in found.cells if cell.side != "same"}
    assert sides == {"en-US subtitle": "both", "en-US promo": "there", "de-DE promo": "there"}
    pull(found, plan_pull(found, keep))
    found = desk.compared()
    push(found, plan_push(found))
    found = desk.compared()
    assert {cell.side for cell in found.cells} == {"same"}
    expected = "Glaze notes" if keep == "mine" else "Kiln notes"
    assert found.remote.content[Place("text", "en-US", "subtitle")] == expected
    assert read_base(tmp_path, "ios") == found.remote.content == found.holding.content
    desk.close()
