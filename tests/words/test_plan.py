"""Plans of words: right, proven, obedient, repeatable."""

import itertools
from dataclasses import replace as replace_fields

import pytest
from hypothesis import given
from hypothesis import strategies as st

import tavolan
from conftest import examples, replace, run_tavolan
from tavolan.project.model import Copy, Source, Term
from tavolan.words.coverage import cover, unlocks
from tavolan.words.plan import plan
from tavolan.words.plan_choices import Options
from tavolan.words.plan_prices import word_prices
from tavolan.words.value import Valuer

WORDS = ["pot", "kiln", "clay", "glaze", "cone"]
LIMIT = 12
phrase = st.lists(st.sampled_from(WORDS), min_size=1, max_size=3, unique=True).map(" ".join)
text = st.lists(st.sampled_from(WORDS), max_size=3).map(" ".join)
small = st.fixed_dictionaries(
    {
        "phrases": st.dictionaries(phrase, st.integers(1, 100), min_size=1, max_size=5),
        "titles": st.lists(text, min_size=1, max_size=2),
        "subtitles": st.lists(text, min_size=1, max_size=2),
        "now": st.lists(st.sampled_from(WORDS), max_size=2, unique=True),
    }
)


@pytest.fixture(scope="module")
def bare(tmp_path_factory):
    """A project of two English locales with a keyword budget of 12 characters."""
    root = tmp_path_factory.mktemp("plan")
    for folder in ("copy", "rules"):
        (root / folder).mkdir()
    for tag in ("en-US", "es-MX"):
        (root / "copy" / f"{tag}.toml").write_text("")
    (root / "rules/ios.toml").write_text(f"[field.keywords]\nmax = {LIMIT}\n")
    (root / "tavolan.toml").write_text(
        '[app]\nname = "A"\nsource = "en-US"\nlocales = ["en-US", "es-MX"]\n[store.ios]\nstorefronts = ["US"]\n'
    )
    return tavolan.open_project(root)


def fill(project, tag, title, subtitle, keywords, alternates=None):
    data = {"title": title, "subtitle": subtitle, "keywords": list(keywords), "alternates": alternates or {}}
    project.copy[tag] = Copy(tag, Source("x", ""), data)


def set_up(project, case):
    project.terms["en-US"] = [
        Term(words, "en-US", n, relevance=value, volume=1.0, difficulty=0.0)
        for n, (words, value) in enumerate(case["phrases"].items())
    ]
    alternates = {"title": case["titles"][1:], "subtitle": case["subtitles"][1:]}
    fill(project, "en-US", case["titles"][0], case["subtitles"][0], case["now"], alternates)
    fill(project, "es-MX", "", "", [])


def keyword_sets(budget=LIMIT):
    for size in range(len(WORDS) + 1):
        for chosen in itertools.combinations(WORDS, size):
            if len(",".join(chosen)) <= budget:
                yield chosen


def reached(project):
    return sum(answer.value for answer in cover(project, ["ios"]))


@examples(40)
@given(small)
def test_a_plan_is_as_good_as_trying_everything(bare, case):
    set_up(bare, case)
    made = plan(bare, Options("ios", ("en-US",)))
    assert made.before == pytest.approx(reached(bare))
    best = 0.0
    for title, subtitle, chosen in itertools.product(case["titles"], case["subtitles"], keyword_sets()):
        fill(bare, "en-US", title, subtitle, chosen)
        best = max(best, reached(bare))
    assert made.value == pytest.approx(best) and made.proven
    (locale,) = made.locales
    fill(bare, "en-US", locale.title[1], locale.subtitle[1], locale.keywords[1])
    assert reached(bare) == pytest.approx(made.value)
    assert len(",".join(locale.keywords[1])) == locale.length <= LIMIT or set(locale.keywords[1]) <= set(case["now"])


@examples(12)
@given(small)
def test_two_locales_together_are_as_good_as_trying_everything(bare, case):
    set_up(bare, case)
    made = plan(bare, Options("ios", ("en-US", "es-MX"), fields=False, any_language=True))
    best = 0.0
    for first, second in itertools.product(keyword_sets(), keyword_sets()):
        fill(bare, "en-US", case["titles"][0], case["subtitles"][0], first)
        fill(bare, "es-MX", "", "", second)
        best = max(best, reached(bare))
    assert made.value == pytest.approx(best) and made.proven


@examples(25)
@given(small, st.integers(0, 2))
def test_no_more_words_are_replaced_than_allowed(bare, case, most):
    set_up(bare, case)
    made = plan(bare, Options("ios", ("en-US",), changes=most))
    assert len(made.locales[0].dropped) <= most
    assert made.value >= made.before - 1e-9


def test_two_runs_give_the_same_plan_and_nothing_useless(bare):
    case = {"phrases": {"pot kiln": 50, "clay kiln": 50}, "titles": ["pot"], "subtitles": [""], "now": ["glaze"]}
    set_up(bare, case)
    plans = [plan(bare, Options("ios", ("en-US",))) for _ in range(2)]
    assert plans[0].locales == plans[1].locales
    assert plans[0].locales[0].keywords[1] == ["clay", "kiln"]
    assert {change.phrase for change in plans[0].changes} <= {"pot kiln", "clay kiln"}


def test_factors_and_weights_come_from_one_place(project):
    opened = tavolan.open_project(project)
    worth = Valuer(opened).worth(Term("x", "en-US", 1, relevance=80, volume=10, difficulty=25))
    assert (worth.relevance, worth.demand, worth.chance) == (0.8, 1.0, 0.75) and worth.value == pytest.approx(60)
    assert Valuer(opened).worth(Term("x", "en-US", 1)).value == pytest.approx(100 * 0.5 * 0.3 * 0.5)
    assert Valuer(opened).worth(Term("x", "en-US", 1, difficulty=100)).chance == 0.05


def test_weights_and_standing_can_be_told(project):
    replace(project / "tavolan.toml", "[check.levels]", "[words.tiers]\nwith-keywords = 0.25\n[check.levels]")
    (project / "data").mkdir()
    (project / "data/ranks.csv").write_text(
        "date,storefront,phrase,rank\n2026-01-01,US,x,1\n2026-02-01,US,X,10\n2026-02-01,DE,x,900\n"
    )
    valuer = Valuer(tavolan.open_project(project))
    assert (valuer.weight("with-keywords"), valuer.weight("title-phrase"), valuer.weight(None)) == (0.25, 1.0, 0.0)
    hard = Term("x", "en-US", 1, difficulty=90)
    assert [valuer.worth(hard, front).chance for front in ("US", "DE", "")] == pytest.approx([0.5, 0.1, 0.1])
    replace(project / "tavolan.toml", "with-keywords = 0.25", "with-keywords = 0.75")
    done = run_tavolan("terms", "cover", cwd=project)
    assert done.code == 3 and "words.tiers: with-keywords weighs more than with-subtitle" in done.err
    replace(project / "tavolan.toml", "with-keywords = 0.75", "with-keyword = 0.25")
    done = run_tavolan("terms", "cover", cwd=project)
    assert done.code == 3 and "tavolan.toml:19: words.tiers" in done.err


def test_tiers_tell_how_strong_an_answer_is(project):
    (project / "terms/en-US.csv").write_text("phrase\npotto clay\nclay potto\nkiln clay\nglaze clay\nraku\n")
    replace(project / "copy/en-US.toml", "Potto: en-US", "Potto clay")
    tiers = {a.phrase: a.tier for a in cover(tavolan.open_project(project), ["ios"])}
    assert tiers == {
        "potto clay": "title-phrase",
        "clay potto": "title-words",
        "kiln clay": "with-subtitle",
        "glaze clay": "with-keywords",
        "raku": None,
    }


def test_missing_words_are_ranked_by_what_they_unlock(project):
    terms = "phrase,relevance\nraku,50\nraku kiln,90\nglaze recipe book,100\n"
    (project / "terms/en-US.csv").write_text(terms)
    found = unlocks(cover(tavolan.open_project(project), ["ios"]), 0.5)
    assert [(u.word, u.alone, u.helps) for u in found] == [
        ("raku", ("raku", "raku kiln"), ()),
        ("book", (), ("glaze recipe book",)),
        ("recipe", (), ("glaze recipe book",)),
    ]


def test_plans_count_as_coverage_does_in_every_script(tmp_path):
    from tavolan.sample.write import write_texts

    write_texts(tmp_path / "k")
    text = (tmp_path / "k/shots.toml").read_text()
    (tmp_path / "k/shots.toml").write_text(text[: text.index("[[shot]]")])
    for path in (tmp_path / "k/copy").glob("*.toml"):
        path.write_text(
            path.read_text("utf-8").replace("[captions]", "[showcase]", 1).replace("\n[showcase]\nkiln", "\nkiln"),
            "utf-8",
        )
    sample = tavolan.open_project(tmp_path / "k")
    answers = cover(sample, ["ios"])
    for tag in ("en-US", "ja", "zh-Hans", "th", "ko", "ar-SA", "hi", "de-DE"):
        made = plan(sample, Options("ios", (tag,)))
        read = {a.storefront for a in answers if tag in a.reads}
        assert made.before == pytest.approx(sum(a.value for a in answers if a.storefront in read)), tag
        assert made.value >= made.before - 1e-6 and made.proven


def test_must_and_never_words_are_obeyed(project):
    (project / "terms/en-US.csv").write_text("phrase,relevance\nraku kiln,90\nglaze cone,80\n")
    replace(project / "tavolan.toml", "[check.levels]", '[words]\nmust = ["wheel"]\nnever = ["raku"]\n[check.levels]')
    made = plan(tavolan.open_project(project), Options("ios", ("en-US",)))
    assert "wheel" in made.locales[0].keywords[1] and "raku" not in made.locales[0].keywords[1]
    assert "cone" in made.locales[0].added


def test_the_program_plans_and_applies(project):
    done = run_tavolan("terms", "plan", "--locale", "en-US", cwd=project)
    assert done.code == 0 and "Proven optimal" in done.out and "recipe" in done.out
    assert "recipe" not in (project / "copy/en-US.toml").read_text()
    done = run_tavolan("terms", "plan", "--locale", "en-US", "--json", cwd=project)
    assert done.json["schema"] == "tavolan/plan@1" and done.json["proven"]
    done = run_tavolan("terms", "plan", "--locale", "en-US", "--why", "--apply", cwd=project)
    assert done.code == 0 and "value at best" in done.out
    assert "recipe" in tavolan.open_project(project).copy["en-US"].data["keywords"]
    assert all(a.covered for a in cover(tavolan.open_project(project), ["ios"]))
    for args in (["--locale", "xx"], ["--locale", "en-US", "--store", "android"], ["--locale", "de-DE"], []):
        assert run_tavolan("terms", "plan", *args, cwd=project).code == 2


def test_figures_are_drawn(project):
    import pyvips

    done = run_tavolan("terms", "cover", "--figure", "cover.png", cwd=project)
    assert done.code == 0 and "cover.png" in done.out
    done = run_tavolan("terms", "plan", "--locale", "en-US", "--figure", "plan.png", cwd=project)
    assert done.code == 0 and "plan.png" in done.out
    for name in ("cover.png", "plan.png"):
        image = pyvips.Image.new_from_file(str(project / name))
        assert image.width >= 900 and image.hist_find().hist_entropy() > 0.3
    assert run_tavolan("terms", "cover", "--word-list", "none", "--figure", "x.png", cwd=project).code == 2


def test_more_budget_is_never_worth_less(project):
    from tavolan.words.plan import value_of_budget

    points = value_of_budget(tavolan.open_project(project), Options("ios", ("en-US",)), 25)
    assert [budget for budget, _ in points] == [0, 25, 50, 75, 100]
    values = [value for _, value in points]
    assert values == sorted(values) and values[-1] > values[0]
    # What stands isn't counted where the budget has no room for it.
    standing = sum(answer.value for answer in cover(tavolan.open_project(project), ["ios"]))
    assert values[0] < standing


def test_a_locale_gets_words_of_its_own_language_unless_asked_for(bare):
    bare.terms.clear()
    bare.terms["en-US"] = [Term("glaze", "en-US", 1, relevance=50, volume=1.0, difficulty=0.0)]
    bare.terms["es-MX"] = [Term("horno", "es-MX", 1, relevance=90, volume=1.0, difficulty=0.0, storefronts=("US",))]
    try:
        fill(bare, "en-US", "", "", [])
        fill(bare, "es-MX", "", "", [])
        made = plan(bare, Options("ios", ("en-US",)))
        assert made.locales[0].keywords[1] == ["glaze"]
        made = plan(bare, Options("ios", ("en-US",), any_language=True))
        assert made.locales[0].keywords[1] == ["glaze", "horno"]
    finally:
        bare.terms.clear()


def test_a_plan_drops_what_answers_nothing_and_keeps_to_the_number_of_entries(bare):
    case = {"phrases": {"pot": 50, "clay": 40}, "titles": ["pot"], "subtitles": [""], "now": ["pot", "glaze"]}
    set_up(bare, case)
    assert plan(bare, Options("ios", ("en-US",))).locales[0].keywords == (["pot", "glaze"], ["clay"])


def test_a_plan_for_one_store_writes_where_only_that_store_reads(project):
    config = '[store.maker]\nclasses = []\nlocales = ["en-US", "de-DE"]\nstorefronts = ["US"]\n[store.ios.once]'
    replace(project / "tavolan.toml", "[store.ios.once]", config)
    rows = "".join(f"kiln word{number:02d},90,10\n" for number in range(45))
    (project / "terms/en-US.csv").write_text("phrase,relevance,volume\n" + rows)
    before = (project / "copy/en-US.toml").read_text()
    done = run_tavolan("terms", "plan", "--locale", "en-US", "--store", "maker", "--apply", cwd=project)
    assert done.code == 0 and "copy/en-US.toml: maker.keywords is written" in done.out, done.err
    opened = tavolan.open_project(project)
    copy = opened.copy["en-US"]
    assert copy.data["keywords"] == ["pottery", "glaze"] and "keywords" not in copy.data.get("ios", {})
    assert len(copy.data["maker"]["keywords"]) == 30
    assert copy.alternates("maker.keywords").content == ["pottery,glaze"]
    made_by_plan = [f for f in tavolan.check(opened) if f.field == "keywords" and f.store == "maker"]
    assert [f.rule for f in made_by_plan if f.rule != "keyword-room"] == []
    assert before.splitlines()[0] in (project / "copy/en-US.toml").read_text()
    assert run_tavolan("copy", "set", "en-US", "maker.keywords", "--alternate", "1", cwd=project).code == 0
    assert tavolan.open_project(project).copy["en-US"].data["maker"]["keywords"] == ["pottery", "glaze"]


def test_after_a_plan_the_checks_find_nothing_that_it_made(tmp_path):
    from tavolan.sample.write import sample_files

    for name, data in sample_files().items():
        (tmp_path / name).parent.mkdir(parents=True, exist_ok=True)
        (tmp_path / name).write_bytes(data)
    done = run_tavolan("terms", "plan", "--locale", "en-US", "--apply", cwd=tmp_path)
    assert done.code == 0, done.err
    found = [f for f in tavolan.check(tavolan.open_project(tmp_path)) if f.locale == "en-US" and "keyword" in f.rule]
    assert [(f.rule, f.subject) for f in found if f.rule not in ("keyword-room",)] == []


def test_the_price_of_a_word_is_what_the_plan_loses_without_it(bare):
    case = {
        "phrases": {"pot": 60, "clay kiln": 50, "glaze": 40, "cone": 30},
        "titles": ["pot"],
        "subtitles": [""],
        "now": [],
    }
    set_up(bare, case)
    options = Options("ios", ("en-US",))
    made = plan(bare, options)
    (own,) = made.locales
    for price in word_prices(bare, options, made):
        left = [word for word in own.keywords[1] if word != price.word]
        fill(bare, "en-US", "pot", "", left)
        without = reached(bare)
        assert price.earns == pytest.approx(made.value - without)
        best = 0.0
        for word in set(WORDS) - {*left, price.word}:
            if len(",".join([*left, word])) <= LIMIT:
                fill(bare, "en-US", "pot", "", [*left, word])
                best = max(best, reached(bare) - without)
        assert price.next_earns == pytest.approx(best) and bool(price.next_word) == (best > 0)


def test_a_title_changes_only_for_a_gain(bare):
    same = {"phrases": {"pot": 50}, "titles": ["pot", "Pot pot"], "subtitles": ["clay", "Clay"], "now": ["glaze"]}
    set_up(bare, same)
    made = plan(bare, Options("ios", ("en-US",)))
    assert made.locales[0].title == ("pot", "pot") and made.locales[0].subtitle == ("clay", "clay")
    set_up(bare, same | {"phrases": {"pot kiln": 50}, "titles": ["pot", "kiln pot"]})
    assert plan(bare, Options("ios", ("en-US",))).locales[0].title == ("pot", "kiln pot")


def test_a_locale_with_more_searched_text_is_no_mirror_image(tmp_path):
    """The store searches a promotional text too, which one locale has and the other hasn't."""
    for folder in ("copy", "rules", "terms"):
        (tmp_path / folder).mkdir()
    for tag in ("en-US", "ko", "vi"):
        (tmp_path / f"copy/{tag}.toml").write_text('promo = "clay cone"\n' if tag == "ko" else "")
    (tmp_path / "rules/ios.toml").write_text(f"[field.keywords]\nmax = {LIMIT}\n[field.promo]\nsearch = 3\n")
    (tmp_path / "terms/en-US.csv").write_text("phrase\npot clay cone\nglaze kiln\n")
    config = '[app]\nname = "A"\nsource = "en-US"\nlocales = ["en-US", "ko", "vi"]\n[store.ios]\nstorefronts = ["US"]\n'
    (tmp_path / "tavolan.toml").write_text(config)
    made = plan(tavolan.open_project(tmp_path), Options("ios", ("ko", "vi"), any_language=True))
    # The list of the first locale can't be as long as the other's, whatever is put into it.
    assert [set(one.keywords[1]) for one in made.locales] == [{"pot"}, {"glaze", "kiln"}] and made.proven


@examples(15)
@given(small, st.dictionaries(phrase, st.integers(1, 100), min_size=1, max_size=4))
def test_other_languages_are_never_worse_than_ones_own_and_what_is_held_is_said(bare, case, others):
    set_up(bare, case)
    spanish = [
        Term(words, "es-MX", n, relevance=value, volume=1.0, difficulty=0.0, storefronts=("US",))
        for n, (words, value) in enumerate(others.items())
    ]
    project = replace_fields(bare, terms={**bare.terms, "es-MX": spanish})
    own = plan(project, Options("ios", ("en-US", "es-MX"), changes=1))
    all_of_them = plan(project, Options("ios", ("en-US", "es-MX"), changes=1, any_language=True))
    assert all_of_them.value >= own.value - 1e-9 and own.proven and all_of_them.proven
    assert own.held[0] != all_of_them.held[0] and "at most 1 keyword replaced" in own.held


def test_three_locales_are_planned_together(tmp_path):
    (tmp_path / "copy").mkdir()
    (tmp_path / "terms").mkdir()
    (tmp_path / "rules").mkdir()
    tags = ["en-US", "es-MX", "fr-FR"]
    for tag in tags:
        (tmp_path / f"copy/{tag}.toml").write_text("")
    (tmp_path / "rules/ios.toml").write_text(f"[field.keywords]\nmax = {LIMIT}\n")
    (tmp_path / "terms/en-US.csv").write_text("phrase\npot kiln\nclay glaze\ncone wheel\n")
    config = f'[app]\nname = "A"\nsource = "en-US"\nlocales = {tags}\n[store.ios]\nstorefronts = ["US"]\n'
    (tmp_path / "tavolan.toml").write_text(config)
    done = run_tavolan("terms", "plan", "--all", "--any-language", "--why", "--json", cwd=tmp_path)
    assert done.json["proven"] and len(done.json["locales"]) == 3
    reached_all = {change["phrase"] for change in done.json["changes"] if change["after"] == "with-keywords"}
    assert reached_all == {"pot kiln", "clay glaze", "cone wheel"}
    assert {price["word"] for price in done.json["prices"]} == {"pot", "kiln", "clay", "glaze", "cone", "wheel"}
    for args in ([], ["--all", "--locale", "en-US"]):
        assert "--all" in run_tavolan("terms", "plan", *args, cwd=tmp_path).err
