"""The one matcher, against a rule written out anew: coverage of every phrase, plans against every choice."""

import dataclasses
import itertools
import re

import pytest
from hypothesis import given
from hypothesis import strategies as st

import tavolan
from conftest import examples
from tavolan.project.hypothetical import with_texts
from tavolan.project.model import Copy, Source, Term
from tavolan.words.coverage import cover
from tavolan.words.plan import plan
from tavolan.words.plan_choices import Options

# Words that are alike in ways that matter: plurals, capitals, elision, words within words.
VOCABULARY = {
    "en-US": [
        "mug",
        "mugs",
        "clay",
        "kiln",
        "timer",
        "timers",
        "Log",
        "movies",
        "movie",
        "lens",
        "women's",
        "women’s",
        "women",
        "x-ray",
    ],
    "de-DE": ["Ton", "Brand", "Brandkurve", "Töpfe", "GRÖSSE", "größe", "Weiß", "weiss"],
    "fr-FR": ["l'émail", "d’émail", "émail", "Four", "l'argile", "argile"],
    "tr": ["İngilizce", "ingilizce", "IŞIK", "ışık", "fırın", "Fırın"],
    "zh-Hans": ["曲线", "曲线配方", "配方", "温度", "窑炉", "陶艺窑炉", "陶艺"],
    "ja": ["釣り", "釣", "記録", "釣り記録", "コーン", "狙った", "狙ったコーン", "陶芸記録ノート"],
    "th": ["เตา", "เผา", "เตาเผา", "ดิน", "บันทึก", "บันทึกเตาเผา"],
    "it": ["l'orto", "orto", "Forno", "dell’orto"],
    "ca": ["l'argila", "argila", "Forn", "d’argila"],
    "el": ["κεραμικός", "ΚΕΡΑΜΙΚΟΣ", "πηλός", "Φούρνος"],
    "ru": ["печь", "Глина", "обжиг"],
    "es-ES": ["cerámica", "ceramica", "Horno"],
    "ko": ["가마", "유약", "온도", "가마온도"],
    "ar-SA": ["فخار", "طين", "فرن", "الفرن"],
}
UNSPACED = ("zh-Hans", "ja", "th")
SINGULARS = {"mugs": "mug", "timers": "timer", "movies": "movie", "women": "woman"}
LIMIT = 12
WEIGHTS = {"title-phrase": 1.0, "title-words": 0.85, "with-subtitle": 0.7, "with-keywords": 0.5, None: 0.0}
# The first storefront of an imagined store reads the locale alone.
FRONTS = "\n".join(f'X{chr(65 + n)} = ["{tag}"]' for n, tag in enumerate(VOCABULARY))
FRONT = {tag: f"X{chr(65 + n)}" for n, tag in enumerate(VOCABULARY)}


def form(word, tag):
    """Return what makes two words the same, as docs/words.md says it."""
    if tag == "tr":
        word = re.sub("[İIı]", "i", word)
    word = word.casefold().replace("’", "'")
    if tag in ("fr-FR", "it", "ca"):
        word = re.sub("^(l|d|dell)'", "", word)
    return SINGULARS.get(word, word) if tag == "en-US" else word


def pieces(words, tag):
    parts = (
        [part for word in words for part in re.findall(r"[一-龯]+|[ぁ-ん]+|[ァ-ンー]+", word)] if tag == "ja" else []
    )
    return {*words, *parts}


def made_up(word, there):
    return not word or any(word.startswith(piece) and made_up(word[len(piece) :], there) for piece in there)


def stands(word, words, tag):
    if tag in UNSPACED:
        return any(word in other for other in words) or made_up(word, pieces(words, tag))
    return form(word, tag) in {form(other, tag) for other in words}


def tier_of(title, subtitle, keywords, phrase, tag):
    """Return the tier by the rule of docs/words.md, word for word."""
    wanted, first, second = phrase.split(), title.split(), subtitle.split()
    entries = [word for entry in keywords for word in entry.split()]
    if tag in UNSPACED:
        in_order = "".join(wanted) in "".join(first)
    else:
        forms, there = [form(w, tag) for w in wanted], [form(w, tag) for w in first]
        in_order = any(there[i : i + len(forms)] == forms for i in range(len(there)))
    for name, words in (
        ("title", first), ("with-subtitle", first + second), ("with-keywords", first + second + entries)
    ):  # fmt: skip
        if all(stands(word, words, tag) for word in wanted):
            return ("title-phrase" if in_order else "title-words") if name == "title" else name
    return None


@pytest.fixture(scope="module")
def bare(tmp_path_factory):
    """A project of many locales in a store whose keyword list takes 12 characters."""
    root = tmp_path_factory.mktemp("matching")
    for folder in ("copy", "rules"):
        (root / folder).mkdir()
    for tag in VOCABULARY:
        (root / "copy" / f"{tag}.toml").write_text("")
    (root / "rules/ios.toml").write_text(f"[field.keywords]\nmax = {LIMIT}\n[storefronts.reads]\n{FRONTS}\n")
    fronts, tags = ([*values] for values in (FRONT.values(), VOCABULARY))
    (root / "tavolan.toml").write_text(
        f'[app]\nname = "A"\nsource = "en-US"\nlocales = {tags}\n[store.ios]\nstorefronts = {fronts}\n'
    )
    return tavolan.open_project(root)


@st.composite
def cases(draw):
    tag = draw(st.sampled_from(sorted(VOCABULARY)))
    word = st.sampled_from(VOCABULARY[tag])
    text = st.lists(word, max_size=2).map(" ".join)
    phrase = st.lists(word, min_size=1, max_size=2, unique=True).map(" ".join)
    return {
        "tag": tag,
        "phrases": draw(st.dictionaries(phrase, st.integers(1, 100), min_size=1, max_size=4)),
        "titles": draw(st.lists(text, min_size=1, max_size=2)),
        "subtitles": draw(st.lists(text, min_size=1, max_size=2)),
        "keywords": draw(st.lists(word, max_size=3).filter(lambda words: len(",".join(words)) <= LIMIT)),
    }


def set_up(project, case):
    tag = case["tag"]
    project.terms.clear()
    project.terms[tag] = [
        Term(words, tag, n, relevance=value, volume=1.0, difficulty=0.0)
        for n, (words, value) in enumerate(case["phrases"].items())
    ]
    fill(project, case, case["titles"][0], case["subtitles"][0], case["keywords"])


def fill(project, case, title, subtitle, keywords):
    alternates = {"title": case["titles"][1:], "subtitle": case["subtitles"][1:]}
    data = {"title": title, "subtitle": subtitle, "keywords": list(keywords), "alternates": alternates}
    project.copy[case["tag"]] = Copy(case["tag"], Source("x", ""), data)


@examples(150)
@given(cases())
def test_every_phrase_has_the_tier_that_the_rule_gives_it(bare, case):
    set_up(bare, case)
    answers = cover(bare, ["ios"], [FRONT[case["tag"]]])
    assert {answer.phrase: answer.tier for answer in answers} == {
        phrase: tier_of(case["titles"][0], case["subtitles"][0], case["keywords"], phrase, case["tag"])
        for phrase in case["phrases"]
    }


@examples(60)
@given(cases())
def test_a_keyword_more_never_answers_less(bare, case):
    set_up(bare, case)
    before = {a.phrase: a.value for a in cover(bare, ["ios"], [FRONT[case["tag"]]])}
    for word in VOCABULARY[case["tag"]]:
        fill(bare, case, case["titles"][0], case["subtitles"][0], [*case["keywords"], word])
        after = {a.phrase: a.value for a in cover(bare, ["ios"], [FRONT[case["tag"]]])}
        assert all(after[phrase] >= value for phrase, value in before.items())


def as_typed(word, tag):
    """Return a word in small letters, as people type it into a list; an elided one without its article."""
    small = (word.replace("İ", "i").replace("I", "ı") if tag == "tr" else word).lower()
    return re.sub("^(l|d|dell)['’]", "", small) if tag in ("fr-FR", "it", "ca") else small


def best_of_all(case):
    """Return the value of the best choice of all: titles, subtitles, and keywords that stand or occur in phrases."""
    tag = case["tag"]
    typed = [word for phrase in case["phrases"] for word in phrase.split()]
    small = {as_typed(word, tag) for word in typed}
    words = {*typed, *small, *(SINGULARS.get(word, word) for word in small), *pieces(typed, tag)}
    words = sorted({*case["keywords"], *words})
    best = 0.0
    for size in range(len(words) + 1):
        for chosen in itertools.combinations(words, size):
            if len(",".join(chosen)) > LIMIT:
                continue
            for title, subtitle in itertools.product(case["titles"], case["subtitles"]):
                tiers = {phrase: tier_of(title, subtitle, chosen, phrase, tag) for phrase in case["phrases"]}
                best = max(best, sum(value * WEIGHTS[tiers[phrase]] for phrase, value in case["phrases"].items()))
    return best


@examples(60)
@given(cases())
def test_a_plan_is_the_best_of_all_and_what_it_promises_comes_true(bare, case):
    set_up(bare, case)
    made = plan(bare, Options("ios", (case["tag"],)))
    assert made.proven and made.value == pytest.approx(best_of_all(case))
    (own,) = made.locales
    assert own.length == len(",".join(own.keywords[1]))
    assert own.length <= LIMIT
    applied = cover(with_texts(bare, made.texts), ["ios"], [FRONT[case["tag"]]])
    assert sum(answer.value for answer in applied) == made.value
    typed = [word for phrase in case["phrases"] for word in phrase.split()]
    small = {as_typed(word, case["tag"]) for word in typed}
    assert set(own.added) <= {*small, *pieces(typed, case["tag"]), *SINGULARS.values()}


def listed(project, tag, title="", keywords=(), phrases=(), subtitle=""):
    """Set up one locale; every phrase is worth 50."""
    case = {"tag": tag, "phrases": dict.fromkeys(phrases, 50), "titles": [title], "subtitles": [subtitle],
            "keywords": list(keywords)}  # fmt: skip
    set_up(project, case)
    return case


def tiers(project, tag, *args, **kwargs):
    listed(project, tag, *args, **kwargs)
    return [answer.tier for answer in cover(project, ["ios"], [FRONT[tag]])]


def test_entries_that_are_one_word_are_each_paid_for(bare):
    listed(bare, "en-US", "Slip", ["mug", "mugs", "clay"], ["mug", "log", "clay"])
    (own,) = plan(bare, Options("ios", ("en-US",))).locales
    assert own.keywords[1] == ["mug", "clay", "log"] and own.length == 12


def test_a_keyword_answers_the_phrases_that_it_contains(bare):
    listed(bare, "zh-Hans", "烧成", [], ["曲线", "曲线配方", "温度"])
    made = plan(bare, Options("ios", ("zh-Hans",), budget=7))
    assert made.locales[0].keywords[1] == ["曲线配方", "温度"] and made.proven and made.value == pytest.approx(75)


@pytest.mark.parametrize(("tag", "phrase", "written"), [
    ("en-US", "Women’s mugs", ["mug", "women’s"]), ("de-DE", "Größe Weiß", ["größe", "weiß"]),
    ("tr", "Fırın IŞIK", ["fırın", "ışık"]), ("fr-FR", "l’émail", ["émail"]), ("it", "dell'orto", ["orto"]),
    ("el", "ΚΕΡΑΜΙΚΌΣ", ["κεραμικός"]),
])  # fmt: skip
def test_words_are_planned_and_shown_as_they_are_typed(bare, tag, phrase, written):
    listed(bare, tag, "", [], [phrase])
    (answer,) = cover(bare, ["ios"], [FRONT[tag]])
    assert {word.replace("mugs", "mug") for word in answer.missing} == set(written)
    made = plan(bare, Options("ios", (tag,)))
    assert made.locales[0].keywords[1] == written and made.value == pytest.approx(25) and made.proven


def test_a_plural_is_written_as_its_shorter_singular(bare):
    listed(bare, "en-US", "", [], ["mugs", "timers"])
    made = plan(bare, Options("ios", ("en-US",), budget=9))
    assert made.locales[0].keywords[1] == ["mug", "timer"] and made.value == pytest.approx(50)


@pytest.mark.parametrize("keywords", [[], ["窑炉"], ["窑", "炉"]])
def test_a_phrase_takes_its_strongest_place(bare, keywords):
    assert tiers(bare, "zh-Hans", "陶艺窑炉", keywords, ["窑炉"]) == ["title-phrase"]


def test_a_keyword_within_a_word_of_the_title_repeats_it(bare):
    listed(bare, "zh-Hans", "陶艺窑炉", ["窑炉", "温度"])
    found = [f for f in tavolan.check(bare) if f.rule == "keyword-repeats" and f.locale == "zh-Hans"]
    assert [f.subject for f in found] == ["窑炉"]


def test_a_plan_with_nothing_to_change_writes_nothing(bare):
    listed(bare, "en-US", "Clay", ["glaze"], ["clay"])
    made = plan(bare, Options("ios", ("en-US",)))
    assert made.texts == [] and made.locales[0].keywords == (["glaze"], ["glaze"]) and made.value == 50
    listed(bare, "en-US", "", [], ["a word that no keyword list of twelve characters holds"])
    made = plan(bare, Options("ios", ("en-US",)))
    assert made.texts == [] and str(made.bound) == str(made.value) == "0.0" and made.proven


def test_changes_count_entries_not_words(bare):
    listed(bare, "en-US", "", ["mug", "mugs", "Mug"], ["clay", "kiln"])
    made = plan(bare, Options("ios", ("en-US",), changes=1))
    assert len(made.locales[0].dropped) == 1
    assert len(plan(bare, Options("ios", ("en-US",), changes=3)).locales[0].dropped) == 3


@pytest.mark.parametrize(
    ("tag", "title", "phrase"),
    [
        ("tr", "İngilizce Işık", "ingilizce ışık"), ("tr", "INGILIZCE", "ingilizce"), ("fr-FR", "Recettes d’émaux", "émaux"),
        ("it", "L'orto", "orto"), ("en-US", "Potter’s log", "potter's log"), ("en-US", "C++ and C#", "c++"),
        ("en-US", "Wi‑Fi finder", "wi-fi"), ("en-US", "T-Shirt maker", "t-shirt"), ("zh-Hans", "AI窑炉", "窑炉 ai"),
    ],
)  # fmt: skip
def test_words_are_cut_and_compared_by_their_language(bare, tag, title, phrase):
    (found,) = tiers(bare, tag, title, [], [phrase])
    assert found in ("title-phrase", "title-words")


@pytest.mark.parametrize(
    ("title", "phrase"), [("C++", "c"), ("X-ray", "ray"), ("News", "new"), ("Hers", "her"), ("Lens", "len")]
)
def test_words_that_look_alike_are_others(bare, title, phrase):
    assert tiers(bare, "en-US", title, [], [phrase]) == [None]


@pytest.mark.parametrize(("tag", "phrase"), [("en-US", "mugs"), ("zh-Hans", "大陶艺"), ("zh-Hans", "新陶艺课")])
def test_never_words_come_back_in_no_form(bare, tag, phrase):
    settings = bare.words.model_copy(update={"never": ["mug", "陶艺"]})
    project = dataclasses.replace(bare, words=settings)
    listed(project, tag, "", [], [phrase, "泥" if tag == "zh-Hans" else "clay"])
    written = plan(project, Options("ios", (tag,))).locales[0].keywords[1]
    assert written == (["泥"] if tag == "zh-Hans" else ["clay"])


def test_a_list_over_its_limit_stays_where_nothing_that_fits_is_better(bare):
    listed(bare, "de-DE", "", ["Ton", "Brandkurve"], ["Ton Brandkurve"])
    made = plan(bare, Options("ios", ("de-DE",)))
    assert made.texts == [] and made.value == 25 and made.proven and made.gap == 0
