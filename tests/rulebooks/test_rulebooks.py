"""Rulebooks: the shipped numbers, overrides, and new stores."""

import pytest

from tavolan.errors import ProjectError
from tavolan.project.load import load_project
from tavolan.rulebooks.load import load_rulebooks, shipped_ids, shipped_rulebook

LIMITS = {
    "ios": {"title": (2, 30), "subtitle": (0, 30), "keywords": (0, 100), "promo": (0, 170), "description": (10, 4000),
            "notes": (4, 4000), "tester_notes": (0, 4000), "support_url": (0, 2000), "copyright": (0, 200),
            "item_name": (0, 30), "item_description": (0, 45)},
    "android": {"title": (1, 30), "short": (1, 80), "description": (1, 4000), "notes": (0, 500), "review_reply": (1, 350)},
    "maker": {"title": (1, 250), "short": (1, 1200), "description": (1, 4000), "keywords": (0, 400),
              "tv_description": (0, 4000), "test_instructions": (0, 4000)},
}  # fmt: skip
SIZES = {
    ("ios", "phone-6.9"): (1290, 2796), ("ios", "phone-6.5"): (1284, 2778), ("ios", "phone-5.5"): (1242, 2208),
    ("ios", "tablet-13"): (2064, 2752), ("ios", "desktop"): (2880, 1800), ("ios", "watch-small"): (396, 484),
    ("android", "phone"): (1080, 1920), ("android", "tablet-7"): (1200, 1920), ("android", "tablet-10"): (1600, 2560),
    ("android", "watch"): (384, 384), ("maker", "phone"): (1200, 1920), ("maker", "tv"): (1920, 1080),
}  # fmt: skip
CODES = [
    ("android", "he", "iw-IL"), ("android", "no", "no-NO"), ("android", "zh-Hans", "zh-CN"),
    ("android", "zh-Hant", "zh-TW"), ("android", "ar-SA", "ar"), ("android", "es-MX", "es-419"),
    ("android", "ja", "ja-JP"), ("android", "th", "th"), ("android", "de-DE", "de-DE"), ("android", "cs", "cs-CZ"),
    ("ios", "de-DE", "de-DE"), ("ios", "hi", "hi"), ("ios", "th-TH", "th"), ("ios", "bn-BD", "bn-BD"),
    ("ios", "eu-ES", None), ("maker", "ko", None), ("maker", "it", "it-IT"), ("ios", "en", None),
]  # fmt: skip


@pytest.mark.parametrize("store", shipped_ids())
def test_limits_are_the_stores(store):
    book = shipped_rulebook(store)
    for key, (low, high) in LIMITS[store].items():
        assert (book.fields[key].min, book.fields[key].max) == (low, high), key
    assert book.as_of and book.confidence


@pytest.mark.parametrize(("place", "size"), SIZES.items())
def test_sizes_to_render(place, size):
    store, name = place
    assert shipped_rulebook(store).classes[name].size == size


@pytest.mark.parametrize(("store", "tag", "code"), CODES)
def test_locales_map_to_the_stores_codes(store, tag, code):
    assert shipped_rulebook(store).store_code(tag) == code


def test_every_fallback_is_a_class_of_the_same_form():
    for store in shipped_ids():
        classes = shipped_rulebook(store).classes
        for name, size_class in classes.items():
            if size_class.falls_back:
                assert classes[size_class.falls_back].form == size_class.form, name


def test_storefronts_read_locales_that_the_store_has():
    for store in shipped_ids():
        book = shipped_rulebook(store)
        for front, tags in book.storefronts.reads.items():
            for tag in tags:
                assert book.store_code(tag), f"{store} {front} {tag}"
    assert len(shipped_rulebook("ios").storefronts.reads) == 56
    assert len(shipped_rulebook("ios").locales.codes) == 39


def test_a_project_overrides_single_values(project):
    (project / "rules").mkdir()
    (project / "rules" / "ios.toml").write_text('as_of = "2026-11"\n[field.title]\nmax = 40\n')
    book = load_project(project).stores["ios"].rulebook
    assert (book.fields["title"].max, book.fields["title"].min, book.as_of) == (40, 2, "2026-11")
    assert shipped_rulebook("ios").fields["title"].max == 30


def test_a_project_adds_a_store(project):
    (project / "rules").mkdir()
    (project / "rules" / "corner.toml").write_text(
        'name = "Corner store"\nas_of = "2026"\nunit = "utf16"\n[field.title]\nmax = 12\nrequired = "always"\n'
        '[locales]\ncodes = "en-US de-DE ar-SA"\n[class.phone]\nform = "phone"\nsizes = [[500, 900]]\n'
    )
    (project / "tavolan.toml").write_text((project / "tavolan.toml").read_text() + "\n[store.corner]\n")
    store = load_project(project).stores["corner"]
    assert store.rulebook.fields["title"].max == 12
    assert store.rulebook.store_code("de-DE") == "de-DE"


@pytest.mark.parametrize(
    ("text", "message"),
    [
        ("[field.title]\nmaximum = 4\n", 'rules/ios.toml:2: field.title.maximum: isn\'t a known key. Did you mean "max"?'),
        ("[field.title]\nmax = 0\n", "rules/ios.toml:2: field.title.max: can't be 0"),
        ('as_of = "soon"\n', 'rules/ios.toml:1: as_of: write a year, "2025", or a date'),
        ('id = "other"\n', 'rules/ios.toml:1: id: is "other" in a file named ios.toml'),
        ("[field\n", "rules/ios.toml:1: isn't valid TOML"),
    ],
)  # fmt: skip
def test_a_bad_override_is_named_with_its_line(project, text, message):
    (project / "rules").mkdir()
    (project / "rules" / "ios.toml").write_text(text)
    _, problems = load_rulebooks(project)
    assert str(problems[0]).startswith(message)
    with pytest.raises(ProjectError):
        load_project(project)


WRONG_TYPES = [
    ('[class."phone-6.9"]\nsizes = [[100]]', "sizes.1.2: is missing"),
    ('[class."phone-6.9"]\nsizes = [[100, 200, 300]]', "holds 2 entries at most, not 3"),
    ('[class."phone-6.9"]\nsizes = [["a", 200]]', 'must be a whole number, not "a"'),
    ('[class."phone-6.9"]\nsizes = 5', "must be a list"),
    ("[field.title]\nmax = -1", "can't be -1. Write 1 or more."),
    ('[field.title]\nmax = "x"', "must be a whole number"),
    ('[field.title]\nrequired = "sometimes"', "Write never, always, update, items"),
    ('[field.title]\nkind = "zz"', "Write one of: 'text'"),
    ("as_of = 5", "must be text in quotes"),
    ("[video]\nmax_seconds = -3", "max_seconds: can't be -3. Write more than 0."),
    ("[video]\nmax_seconds = nan", "Write a number that has an end"),
]


@pytest.mark.parametrize(("text", "words"), WRONG_TYPES)
def test_a_wrong_type_is_said_in_plain_words(project, text, words):
    (project / "rules").mkdir()
    (project / "rules/ios.toml").write_text(text + "\n", "utf-8")
    with pytest.raises(ProjectError) as caught:
        load_project(project)
    said = str(caught.value)
    # Not in the words of the library that validates.
    assert words in said and not any(word in said for word in ("Input should", "should have", "Tuple", "String")), said
