"""Words and coverage."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

import tavolan
from conftest import replace
from tavolan.words import split
from tavolan.words.matching import listing_of
from tavolan.words.phrases import phrase_of
from tavolan.words.plurals import singular

PAIRS = """
kiln kilns|glaze glazes|box boxes|study studies|man men|woman women|child children|person people|foot feet|mouse mice
movie movies|calorie calories|cookie cookies|zombie zombies|selfie selfies|tie ties|pie pies|city cities|cherry cherries
quiz quizzes|fez fezzes|waltz waltzes|prize prizes|maze mazes|buzz buzzes|hero heroes|potato potatoes|echo echoes|zoo zoos
photo photos|video videos|shoe shoes|toe toes|canoe canoes|piano pianos|bus buses|lens lenses|bonus bonuses|campus campuses
virus viruses|status statuses|atlas atlases|canvas canvases|alias aliases|iris irises|gas gases|use uses|house houses
horse horses|phase phases|course courses|exercise exercises|license licenses|rose roses|headache headaches|cache caches
niche niches|mustache mustaches|beach beaches|watch watches|batch batches|coach coaches|menu menus|emu emus|guru gurus
taxi taxis|ski skis|emoji emojis|bikini bikinis|safari safaris|glass glasses|dish dishes|shelf shelves|knife knives
life lives|wolf wolves|leaf leaves|half halves|cliff cliffs|belief beliefs|giraffe giraffes|glove gloves|curve curves
analysis analyses|crisis crises|thesis theses|cactus cacti|radius radii|index indices|matrix matrices|criterion criteria
bureau bureaus|plateau plateaux|fireman firemen|saleswoman saleswomen|ad ads|app apps|dvd dvds|boy boys|key keys|day days
"""
ALONE = """
news hers lens his this its was has yes gas plus bus class glass always perhaps series species physics mathematics maths
tennis chess wellness business wireless status virus analysis basis iris atlas canvas chaos ios gps css https jeans pilates
thanks diabetes headquarters omen specimen ramen amen us is as
"""


@pytest.mark.parametrize("pair", [pair.split() for line in PAIRS.split("\n") for pair in line.split("|") if pair])
def test_plurals_are_paired_with_their_singulars(pair):
    assert [singular(word) for word in pair] == [pair[0], pair[0]]


@pytest.mark.parametrize("word", ALONE.split())
def test_what_only_looks_like_a_plural_stays(word):
    assert singular(word) == word


def test_words_keep_their_marks():
    assert split.words("Glaze & KILN-log's, ﬁne") == ["glaze", "kiln", "log's", "fine"]
    assert split.words("भट्ठी और ग्लेज़") == ["भट्ठी", "और", "ग्लेज़"]


@given(st.text("abc", min_size=1, max_size=8), st.sets(st.text("abc", min_size=1, max_size=3), max_size=6))
def test_tiles_make_up_the_phrase_and_are_the_fewest(phrase, pieces):
    def fewest(rest):
        if not rest:
            return 0
        options = [fewest(rest[len(p) :]) for p in pieces if rest.startswith(p)]
        found = [o for o in options if o is not None]
        return 1 + min(found) if found else None

    tiles = split.tile(phrase, pieces)
    if fewest(phrase) is None:
        assert tiles is None
    else:
        assert "".join(tiles) == phrase and set(tiles) <= pieces and len(tiles) == fewest(phrase)


def answer(root, phrase, storefront="US"):
    answers = tavolan.cover(tavolan.open_project(root))
    return next(a for a in answers if a.phrase == phrase and a.storefront == storefront)


def test_words_of_one_locale_combine_across_fields(shared_project):
    found = answer(shared_project, "pottery kiln")
    assert found.covered and found.locale == "en-US" and found.confidence == "high"
    assert found.used == {"pottery": "keywords", "kiln": "subtitle"}


def test_missing_words_are_named(shared_project):
    found = answer(shared_project, "glaze recipe")
    assert not found.covered and found.missing == ("recipe",)


def test_words_of_two_locales_never_combine(project):
    replace(project / "copy/ar-SA.toml", '["فخار", "خزف"]', '["recipe"]')
    assert not answer(project, "glaze recipe").covered
    replace(project / "copy/ar-SA.toml", '["recipe"]', '["recipe", "glaze"]')
    found = answer(project, "glaze recipe")
    assert found.covered and found.locale == "ar-SA" and found.confidence == "low"


def test_plurals_and_the_publisher_answer(project):
    (project / "terms/en-US.csv").write_text("phrase\npotteries glaze\npotto work\n")
    assert answer(project, "potteries glaze").covered
    assert answer(project, "potto work").used == {"potto": "title", "work": "publisher"}


def test_terms_may_aim_at_another_storefront(project):
    (project / "terms/en-US.csv").write_text("phrase,storefronts\nclay,DE\nglaze,\n")
    answers = tavolan.cover(tavolan.open_project(project))
    assert {(a.phrase, a.storefront) for a in answers} == {("clay", "DE"), ("glaze", "US")}
    assert answer(project, "clay", "DE").reads == ("de-DE",)


def test_scripts_without_spaces_are_answered_by_tiles(project):
    replace(project / "tavolan.toml", '"ar-SA"]', '"ar-SA", "ja"]')
    replace(project / "tavolan.toml", '"US", "DE"', '"JP"')
    text = 'title = "陶芸ノート"\nkeywords = ["釉薬", "レシピ"]\ndescription = "陶芸のためのノートです。"\n'
    (project / "copy/ja.toml").write_text(text)
    (project / "terms/ja.csv").write_text("phrase\n釉薬レシピ\n陶芸\n電気窯\n")
    assert answer(project, "釉薬レシピ", "JP").used == {"釉薬": "keywords", "レシピ": "keywords"}
    assert answer(project, "陶芸", "JP").used == {"陶芸": "title"}
    assert answer(project, "電気窯", "JP").missing == ("電気窯",)


def test_diacritics_count_as_the_rulebook_says(project):
    (project / "terms/en-US.csv").write_text("phrase\ncafe pots\n")
    replace(project / "copy/en-US.toml", '"glaze"', '"café", "pot"')
    assert answer(project, "cafe pots").missing == ("cafe",)
    (project / "rules").mkdir()
    (project / "rules/ios.toml").write_text("[search]\nplain = true\n")
    assert answer(project, "cafe pots").covered
    assert split.without_marks("ấëй") == "aeи" and split.without_marks("भट्ठी") == "भट्ठी"


def test_mentions_count_where_and_how_often(project):
    replace(project / "tavolan.toml", "[store.ios]", "[store.android]\nclasses = []\n[store.ios]")
    text = 'title = "Pots"\nshort = "A pottery kiln"\ndescription = "Pottery kilns. ' + "word " * 40 + 'Pottery kiln."'
    replace(project / "copy/en-US.toml", "[captions]", f"[android]\n{text}\n[captions]")
    found = next(a for a in tavolan.cover(tavolan.open_project(project), ["android"]) if a.phrase == "pottery kiln")
    assert found.mentions.counts == {"title": 0, "short": 1, "description": 2}
    assert (found.mentions.first, found.mentions.total, found.mentions.stuffed) == (3, 3, True)
    assert found.mentions.density == pytest.approx(100 * 6 / 48)


words = st.sampled_from(["pot", "kiln", "clay", "glaze", "cone"])


@given(st.lists(words, max_size=4), st.lists(words, max_size=4), st.lists(words, min_size=1, max_size=3))
def test_coverage_agrees_with_the_rule_in_one_line(tmp_path_factory, first, second, phrase):
    from tavolan.project.model import Copy, Source

    project = tavolan.open_project(_bare(tmp_path_factory))
    for tag, chosen in (("en-US", first), ("de-DE", second)):
        project.copy[tag] = Copy(tag, Source("x", ""), {"keywords": chosen})
    store = project.stores["ios"]
    for tag, chosen in (("en-US", first), ("de-DE", second)):
        listing = listing_of(project, store, tag)
        missing = listing.answer(phrase_of(" ".join(phrase), listing.match)).missing
        assert set(missing) == set(phrase) - set(chosen)


_made = []


def _bare(factory):
    if not _made:
        root = factory.mktemp("bare")
        (root / "copy").mkdir()
        for tag in ("en-US", "de-DE"):
            (root / "copy" / f"{tag}.toml").write_text("")
        (root / "tavolan.toml").write_text(
            '[app]\nname = "A"\nsource = "en-US"\nlocales = ["en-US", "de-DE"]\n[store.ios]\n'
        )
        _made.append(root)
    return _made[0]
