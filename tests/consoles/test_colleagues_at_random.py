"""Colleagues in three consoles at random: what they did is never undone by a push that nobody decided."""

import contextlib
import tempfile
from itertools import pairwise
from pathlib import Path

import pytest
from desk import Team
from hypothesis import seed, settings
from hypothesis import strategies as st
from hypothesis.stateful import RuleBasedStateMachine, initialize, invariant, rule, run_state_machine_as_test
from memory_console import MemoryTeam

from conftest import SEARCH, write_screen
from tavolan.consoles.base import read_base
from tavolan.consoles.content import Place, holding_of, plain
from tavolan.consoles.hand_over import Conditions, hand_over, planned_hand_over
from tavolan.consoles.pull import plan_pull, pull
from tavolan.project.journal import read_journal
from tavolan.project.text_writing import TextWriter
from tavolan.project.texts import TextChange, Texts
from tavolan.support.flat_png import flat_png

STORES = ("ios", "android", "maker")
SHOTS = '[[shot]]\nname = "one"\nscreen = "home"\n[[shot]]\nname = "two"\nscreen = "kiln"\n'
FIELDS = {"ios": ("promo", "description"), "android": ("short", "description"), "maker": ("short", "description")}
WORDS = [f"{word} and its glaze" for word in ("kiln", "clay", "raku", "bisque")]
SET = Place("pictures", "en-US", "watch-small")
stores, words = st.sampled_from(STORES), st.none() | st.sampled_from(WORDS)
locales = st.sampled_from(["en-US", "de-DE"])


class Killed(BaseException):
    """Stands for a kill: nothing may catch it."""


class Colleagues(RuleBasedStateMachine):
    """Edits on all sides, pulls, pushes and kills; `theirs` is what colleagues did that nobody here changed since."""

    kind_of_team = Team

    @initialize()
    def begin(self):
        self.folder = tempfile.TemporaryDirectory()
        self.team = self.kind_of_team(Path(self.folder.name) / "potto", STORES)
        (self.team.root / "shots.toml").write_text(SHOTS)
        self.team.classes("ios", ["watch-small"])
        for locale in ("en-US", "de-DE"):
            self.team.copy(locale, "")
        for name in ("home", "kiln"):
            write_screen(self.team.root / "screens" / f"{name}.png", 26, 56)
        self.theirs, self.shade, self.opened = {}, 0, 0
        for number, name in enumerate(("one", "two"), 1):
            self.paint(number, name)
        self.team.copy("en-US", f'description = "{WORDS[0]}"\n')
        for store in ("ios", "maker"):
            self.team.clients[store].begin_version("2.0")
        self.push(0, None)

    def teardown(self):
        if hasattr(self, "team"):
            for client in self.team.clients.values():
                client.close()
            self.folder.cleanup()

    def paint(self, number, name):
        self.shade += 1
        file = f"out/shots/ios/watch-small/en-US/{number:02d}-{name}.png"
        self.draw(file)

    def draw(self, file):
        path = self.team.root / file
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(flat_png(396, 484, (self.shade % 256, self.shade // 256, 90)))

    def here(self):
        project = self.team.project()
        return {store: holding_of(project, project.stores[store]).content for store in STORES}

    def changed_here(self, before):
        """Forget what colleagues did where somebody here changed the same place since."""
        after = self.here()
        for store, place in list(self.theirs):
            if before[store].get(place) != after[store].get(place):
                del self.theirs[store, place]

    @rule(locale=locales, field=st.sampled_from(["promo", "short", "description"]), text=words)
    def edit_here(self, locale, field, text):
        before, texts = self.here(), Texts(self.team.project())
        TextWriter(texts).write([TextChange(locale, field, texts.get(locale, field), text or "")])
        self.changed_here(before)

    @rule(number=st.integers(1, 2))
    def render_again(self, number):
        before = self.here()
        self.paint(number, ("one", "two")[number - 1])
        self.changed_here(before)

    def does(self, store, place, value):
        if value == read_base(self.team.root, store).get(place):
            # What's again as it was agreed on is no change of theirs, so a push may change it.
            self.theirs.pop((store, place), None)
        elif plain(self.team.there(store).get(place)) != value:
            self.theirs[store, place] = value

    @rule(store=stores, locale=locales, number=st.integers(0, 1), text=words)
    def edit_there(self, store, locale, number, text):
        field = FIELDS[store][number]
        if not (self.team.is_open(store) or field == "promo"):
            return
        self.does(store, Place("text", locale, field), text)
        self.team.writes(store, locale, **{field: text})

    @rule(store=stores, text=st.none() | st.sampled_from(["Tools", "Lifestyle"]))
    def edit_fact_there(self, store, text):
        name = "licence" if store == "maker" else "category"
        value = text and (f"https://potto.example/{text}" if store == "maker" else text)
        self.does(store, Place("fact", "", name), value)
        self.team.writes_facts(store, **{name: value})

    @rule(store=stores, locale=locales)
    def empty_a_locale_there(self, store, locale):
        there = self.team.texts(store, locale) if self.team.is_open(store) else {}
        for field in there:
            self.does(store, Place("text", locale, field), None)
        if there:
            self.team.writes(store, locale, **dict.fromkeys(there))

    @rule(how=st.sampled_from(["turned", "fewer", "none", "other"]))
    def order_pictures_there(self, how):
        if not self.team.is_open("ios"):
            return
        now = self.team.there("ios").get(SET, [])
        if how == "other":
            self.shade += 1
            self.draw("theirs.png")
            wanted = [self.team.uploads("ios", self.team.root / "theirs.png"), *now[:1]]
        else:
            wanted = {"turned": now[::-1], "fewer": now[:1], "none": []}[how]
        self.does("ios", SET, wanted or None)
        self.team.orders("ios", "en-US", "watch-small", wanted)

    @rule(store=st.sampled_from(["ios", "maker"]), state=st.sampled_from(["in review", "approved", "refused", "live"]))
    def review_moves_on(self, store, state):
        self.team.moves(store, state)

    @rule()
    def open_the_next_version(self):
        self.opened += 1
        self.team.opens(f"2.{self.opened}")

    @rule(keep=st.sampled_from(["", "", "mine", "theirs"]))
    def pull(self, keep):
        for store in STORES:
            found = self.team.compared(store)
            planned = plan_pull(found, keep)
            for cell in planned.kept:
                self.theirs.pop((store, cell.place), None)
            pull(found, planned)
            assert not planned.refused

    @rule(drop=st.integers(0, 2), kill_after=st.none() | st.integers(0, 2))
    def push(self, drop, kill_after):
        def count(done, _):
            if kill_after is not None and done > kill_after:
                raise Killed

        for store in STORES:
            before, is_open = self.team.there(store), self.team.is_open(store)
            found = self.team.compared(store)
            on_its_way = any(version.state in ("in review", "approved") for version in found.remote.versions)
            planned = planned_hand_over(found, list, Conditions())
            self.team.manners.drop = drop
            with contextlib.suppress(Killed):
                assert hand_over(planned, count).failure is None
            self.team.manners.drop = 0
            if on_its_way and not is_open:
                changed = {place for place, value in self.team.there(store).items() if value != before.get(place)}
                assert all(place.kind == "fact" or place.field == "promo" for place in changed)

    @invariant()
    def nothing_that_colleagues_did_is_undone(self):
        if not hasattr(self, "team"):
            return
        there = {store: self.team.there(store) for store in STORES}
        for (store, place), value in self.theirs.items():
            assert plain(there[store].get(place)) == value, (store, place)

    @invariant()
    def the_journal_is_a_chain_that_ends_at_what_was_agreed_on(self):
        if not hasattr(self, "team"):
            return
        chains = {}
        for line in read_journal(self.team.root):
            chains.setdefault((line.store, line.locale, line.field), []).append(line)
        for lines in chains.values():
            assert all(first.to_digest == second.from_digest for first, second in pairwise(lines))
        for store in STORES:
            for place in read_base(self.team.root, store):
                assert (store, place.locale, place.field) in chains, place


# Some sequences in the suite; `make fuzz` tries many times as many, in parts so that processes share them, and ten times
# as many of those with consoles in memory.
@pytest.mark.parametrize("part", range(2 if SEARCH else 1))
@pytest.mark.parametrize(("team", "share"), [(Team, 1), (MemoryTeam, 10)])
def test_what_colleagues_did_is_never_undone_unless_somebody_decides_it(part, team, share):
    machine = seed(part)(type(f"Colleagues{part}", (Colleagues,), {"kind_of_team": team}))
    examples = 100 * SEARCH * share or 8
    run_state_machine_as_test(machine, settings=settings(max_examples=examples, stateful_step_count=9))
