"""The checks beyond the limits: for each an example that fails and one that passes."""

from datetime import date

import pytest

import tavolan
from conftest import replace
from tavolan.checking import run_checks
from tavolan.checking.freshness import last_day
from tavolan.checking.word_use import first_sentence
from tavolan.errors import ProjectError
from tavolan.support.web_addresses import url_fault

EN, DE, AR, CONFIG = "copy/en-US.toml", "copy/de-DE.toml", "copy/ar-SA.toml", "tavolan.toml"
SUBTITLE = ('"Notizen zum Brand"', '"{}"')


def found(root, rule, today=None):
    findings = run_checks(tavolan.open_project(root), today)
    errors = run_checks(tavolan.open_project(root), today, errors_only=True)
    assert errors == [f for f in findings if f.level == "error"]
    return [f for f in findings if f.rule == rule]


# (rule, file, old, what fails, subjects, what passes)
CASES = [
    ("keyword-repeats", EN, '"glaze"', '"kilns", "potto"', {"kilns", "potto"}, '"kilnwash", "pot"'),
    ("keyword-twice", EN, '"glaze"', '"glaze", "Glaze", "glazes"', {"Glaze", "glazes"}, '"glaze", "glass"'),
    ("keyword-space", EN, '"glaze"', '" glaze", "cone "', {" glaze", "cone "}, '"glaze", "raku cone"'),
    ("keyword-comma", EN, '"glaze"', '"glaze,cone", ""', {"glaze,cone", "3"}, '"glaze"'),
    ("keyword-phrase", EN, '"glaze"', '"glaze recipe"', {"glaze recipe"}, '"glazerecipes"'),
    ("keyword-filler", EN, '"glaze"', '"app", "the"', {"app", "the"}, '"appliqué"'),
    ("keyword-filler", DE, '"keramik"', '"und"', {"und"}, '"hund"'),
    ("keyword-copied", DE, '"ton", "keramik"', '"a1", "b2", "c3", "d4"', {"en-US"}, '"a1", "b2", "c3", "x9"'),
    ("first-sentence", EN, "Kiln notes for people", "A book for people", {"words"}, "Glaze notes for people"),
    ("first-sentence", EN, "Kiln notes for people", "Kiln " + "notes " * 40 + "for people", {"length"}, "Kiln. " + "notes " * 40),
    ("guard-brand", AR, "كل حرق", "Zorglaze حرق", {"Zorglaze"}, "Zorglazed حرق"),
    ("guard-brand", AR, "كل حرق", "Zor glazes حرق", {"Zorglaze"}, "Zor حرق"),
    ("other-platform", DE, *SUBTITLE, {"android"}, '"Notizen, androidisch"'),
    ("price", DE, *SUBTITLE, {"4,99 €"}, '"Notizen für 2 Öfen"'),
    ("placeholder", DE, *SUBTITLE, {"TODO"}, '"todo el horno"'),
    ("placeholder", DE, *SUBTITLE, {"Lorem  ipsum"}, '"Loremipsum"'),
    ("variable", DE, *SUBTITLE, {"{app_name}", "%1$s"}, '"100 % {}"'),
    ("spaces", DE, *SUBTITLE, {"double"}, '"Notizen zum Brand."'),
    ("spaces", DE, *SUBTITLE, {"end"}, '"Notizen"'),
    ("link", DE, '"https://potto.example/help"', '"https://potto"', {""}, '"https://hilfe.potto.example/a?b=c#d"'),
    ("markup", DE, "Jeder Brand", "Jeder *Brand", {"star"}, r"Jeder \\*Brand"),
    ("markup", DE, *SUBTITLE, {"<b>"}, '"3 < 4 > 2"'),
    ("bracket", DE, *SUBTITLE, {"("}, '"Notizen (zum) Brand 1) :)"'),
    ("hidden-character", DE, *SUBTITLE, {"U+200B", "U+202E"}, '"Notizen\\u00a0zum Brand"'),
    ("untranslated", DE, '"Bessere Notizen."', '"Better notes."', {""}, '"Better Notizen."'),
    ("wrong-script", DE, '"Bessere Notizen."', '"ملاحظات أفضل جدا"', {""}, '"Für das 楽焼"'),
    ("other-language", DE, '"Bessere Notizen."', '"Nouveau : les cuissons de tous les fours, et les notes."', {"fr"}, '"Notes de four"'),
    ("mixed-direction", AR, "دفتر لكل من", "Potto دفتر لكل من", {"Potto"}, "\u200fPotto دفتر لكل من"),
    ("notes-repeated", DE, "[captions]", '[history]\n"1.0" = "Bessere  Notizen.\\n"\n[captions]', {"1.0"}, '[history]\n"1.0" = "Alte."\n[captions]'),
    ("wrong-kind", CONFIG, '{ violence = "none" }', '{ violence = "some" }', {"violence"}, '{ violence = "mild" }'),
    ("wrong-kind", CONFIG, 'last_name = "B", ', 'lastname = "B", ', {"lastname", "last_name"}, 'last_name = "C", '),
    ("wrong-kind", CONFIG, "age_answers", 'price = "cheap"\nage_answers', {""}, 'price = "4.99 USD"\nage_answers'),
    ("wrong-kind", CONFIG, "age_answers", 'price = "5 XQQ"\nage_answers', {""}, 'price = "free"\nage_answers'),
    ("wrong-kind", CONFIG, "age_answers", 'prices = { JP = "800", XX = "1 EUR" }\nage_answers', {"JP", "XX"}, 'prices = { JP = "800 JPY" }\nage_answers'),
    ("wrong-kind", CONFIG, "age_answers", 'availability = ["UK", "Germany", "DE", "xx"]\nage_answers', {"UK", "Germany", "xx"}, 'availability = ["GB", "DE"]\nage_answers'),
    ("wrong-kind", CONFIG, 'phone = "+1 555 0100"', 'phone = "none"', {"phone"}, 'phone = "(030) 12 34-567"'),
    ("wrong-kind", CONFIG, '"a@potto.example"', '"a at potto"', {"email"}, '"b@potto.example"'),
    ("unknown-choice", CONFIG, 'category = "Lifestyle"', 'category = "Lifestile"', {"Lifestile"}, 'category = "food and drink"'),
    ("wrong-kind", CONFIG, "age_answers", 'release_date = "31.1.2027"\nage_answers', {""}, 'release_date = "2027-01-31"\nage_answers'),
]  # fmt: skip
TEXTS = {
    ("other-platform", 0): "Auch für Android", ("price", 0): "Notizen für 4,99 €", ("placeholder", 0): "TODO: Notizen",
    ("placeholder", 1): "Lorem  ipsum dolor", ("variable", 0): "{app_name} und %1$s", ("spaces", 0): "Notizen  zum Brand",
    ("spaces", 1): "Notizen ", ("markup", 0): "Notizen <b>zum Brand", ("bracket", 0): "Notizen (zum Brand",
    ("hidden-character", 0): "Noti\\u200bzen \\u202ezum",
}  # fmt: skip


def _cases():
    seen = {}
    for rule, file, old, fails, subjects, passes in CASES:
        text = fails
        if fails == '"{}"':
            number = seen.setdefault(rule, 0)
            seen[rule] += 1
            text = f'"{TEXTS[rule, number]}"'
        yield rule, file, old, text, subjects, passes


@pytest.mark.parametrize(("rule", "file", "old", "fails", "subjects", "passes"), list(_cases()))
def test_the_failing_example_fails_and_the_passing_one_passes(project, rule, file, old, fails, subjects, passes):
    if rule == "guard-brand":
        replace(project / CONFIG, "[check.levels]", '[guard]\nbrands = ["Zorglaze"]\n[check.levels]')
    if rule == "keyword-copied":
        replace(project / EN, '"pottery", "glaze"', '"d4", "c3", "b2", "A1"')
    text = (project / file).read_text("utf-8")
    replace(project / file, old, fails)
    hits = found(project, rule)
    assert {f.subject for f in hits} == subjects
    assert all(f.message and f.remedy.endswith((".", "-", "”", "?")) and f.path == file for f in hits), hits
    (project / file).write_text(text.replace(old, passes), "utf-8")
    assert found(project, rule) == []


def android(project, **fields):
    """Add a second store whose titles must be plain."""
    replace(project / CONFIG, "[store.ios]", "[store.android]\nclasses = []\n[store.ios]")
    text = "\n".join(f'{key} = "{value}"' for key, value in fields.items())
    replace(project / EN, "[captions]", f"[android]\n{text}\n[captions]")


def test_apps_of_other_listings_are_questioned(project):
    (project / "data").mkdir(exist_ok=True)
    (project / "data/listings.csv").write_text(
        "app,locale,date,title,subtitle,description\nNectar Notes,en-US,,A,B,C\n"
    )
    replace(project / DE, SUBTITLE[0], '"Besser als nectarnotes"')
    assert [(f.subject, f.level, f.locale) for f in found(project, "other-app")] == [
        ("Nectar Notes", "warning", "de-DE")
    ]


@pytest.mark.parametrize(
    ("title", "subjects"),
    [
        ("Potto: the best kiln log", {"best"}),
        ("Potto: number one in pots!!", {"number_one", "!!"}),
        ("POTTO KILN 🔥", {"POTTO", "KILN", "🔥"}),
        ("Potto: bestow a kiln on pots", set()),
        ("Potto, kiln 3-in-1 notes", set()),
    ],
)
def test_title_policy(project, title, subjects):
    android(project, title=title)
    assert {f.subject for f in found(project, "title-policy")} == subjects


def test_alternates_are_checked_too(project):
    android(project, title="Potto")
    replace(project / EN, "[captions]", f'[alternates]\ntitle = ["Fine", "Free {"x" * 30}"]\n[captions]')
    assert {(f.field, f.subject) for f in found(project, "too-long")} == {("alternates.title", "2")}
    assert {f.field for f in found(project, "title-policy")} == {"alternates.title"}


def test_phrases_matter_where_there_is_no_keyword_field(project):
    android(project, short="Pots", description="Pottery kiln. " * 30)
    (unsaid,) = found(project, "phrases-unsaid")
    assert "“glaze recipe”" in unsaid.message and "pottery kiln" not in unsaid.message
    assert [f.subject for f in found(project, "stuffed")] == ["pottery kiln"]
    replace(
        project / EN, "Pottery kiln. " * 30, "A pottery kiln needs a glaze recipe. " + "Good words follow here. " * 12
    )
    assert found(project, "stuffed") == [] == found(project, "phrases-unsaid")


def test_room_in_title_and_keywords(project):
    replace(project / CONFIG, 'keyword-room = "off"\ntitle-room = "off"\n', "")
    (note,) = (f for f in found(project, "title-room") if f.locale == "en-US")
    assert note.measured == 18 and '"recipe"' in note.message
    assert {(f.measured, f.limit) for f in found(project, "keyword-room")} == {(13, 100), (11, 100), (8, 100)}
    replace(project / EN, '"glaze"', f'"glaze", "recipe", "{"x" * 70}"')
    assert not [f for f in found(project, "title-room") if f.locale == "en-US"]
    assert len(found(project, "keyword-room")) == 2


def test_keywords_that_look_translated(project):
    replace(project / EN, '"pottery", "glaze"', '"pottery", "glaze", "cone", "clay"')
    replace(project / DE, '"ton", "keramik"', '"keramik", "glasur", "kegel", "ton"')
    (project / "terms/de-DE.csv").write_text("phrase\nbrennofen\ntöpferscheibe\n")
    assert [f.measured for f in found(project, "keyword-translated")] == [0]
    (project / "terms/de-DE.csv").write_text("phrase\nkeramik brennen\nglasur rezept\n")
    assert found(project, "keyword-translated") == []


def test_joiners_stay_where_scripts_need_them(project):
    replace(project / AR, "دفتر لكل من", "می\u200cخواهم دفتر")
    replace(project / EN, "Better notes.", "Better notes 👩\u200d🎨.")
    assert found(project, "hidden-character") == []


def test_inherited_text_is_shown_and_hides_nothing(project):
    replace(project / CONFIG, '"ar-SA"]', '"ar-SA", "en-GB"]')
    (project / "copy/en-GB.toml").write_text('like = "en-US"\ntitle = "Potto UK"\n')
    opened = tavolan.open_project(project)
    value = opened.value("ios", "en-GB", "subtitle")
    assert (value.content, value.inherited_from, value.source.shown) == ("Clay and kiln notes", "en-US", EN)
    assert opened.caption("en-GB", opened.shots.shot[0]) == ("All your *pots*", "en-GB")
    assert [f for f in run_checks(opened) if f.locale == "en-GB" and f.level == "error"] == []
    replace(project / EN, 'notes = "Better notes."', "")
    assert {f.locale for f in found(project, "to-write")} == {"en-US", "en-GB"}


@pytest.mark.parametrize(
    ("like", "message"), [("de-DE", "is another language"), ("en-GB", "its own locale"), ("xx", "no locale of this")]
)
def test_like_is_only_for_close_locales(project, like, message):
    replace(project / CONFIG, '"ar-SA"]', '"ar-SA", "en-GB"]')
    (project / "copy/en-GB.toml").write_text(f'like = "{like}"\n')
    with pytest.raises(ProjectError, match=message):
        tavolan.open_project(project)


def test_items_are_asked_for_per_locale(project):
    replace(project / CONFIG, 'source = "en-US"', 'source = "en-US"\nitems = ["plus"]')
    assert len(found(project, "to-write")) == 6
    for file in (EN, DE, AR):
        replace(
            project / file,
            "[captions]",
            f'[items.plus]\nitem_name = "Plus"\nitem_description = "{"d" * 46}"\n[captions]',
        )
    assert found(project, "to-write") == []
    assert [f.field for f in found(project, "too-long")] == ["items.plus.item_description"] * 3


def test_levels_waivers_and_their_end(project):
    replace(project / DE, "Notizen zum Brand", "Notizen  zum Brand " + "x" * 20)
    replace(project / CONFIG, "[check.levels]", '[check.levels]\nspaces = "error"\nlink = "off"')
    (waived,) = [f for f in found(project, "spaces") if f.subject == "double"]
    assert waived.level == "error" and not waived.waived
    text = '\n[[check.waive]]\nrule = "too-long"\nlocale = "de-DE"\nreason = "agreed"\nuntil = 2030-01-31\n'
    (project / CONFIG).write_text((project / CONFIG).read_text() + text)
    assert [f.waived for f in found(project, "too-long", date(2030, 1, 31))] == ["agreed"]
    assert [f.waived for f in found(project, "too-long", date(2030, 2, 1))] == [""]
    assert len(found(project, "waiver-ended", date(2030, 2, 1))) == 1
    replace(project / CONFIG, 'rule = "too-long"', 'rule = "too-lnog"')
    with pytest.raises(ProjectError, match=r'check\.waive\.1\.rule: "too-lnog" is no rule\. Did you mean "too-long"'):
        found(project, "spaces")


def test_the_last_word_is_only_looked_at_when_asked(project):
    replace(project / EN, "Clay and kiln notes", "Clay and pots from your own kiln"[:25] + "n kiln"[1:])
    text = tavolan.open_project(project).value("ios", "en-US", "subtitle").content
    replace(project / EN, text, text.rjust(30, "x"))
    assert found(project, "last-word") == []
    replace(project / CONFIG, "[check.levels]", '[check.levels]\nlast-word = "note"')
    assert [f.subject for f in found(project, "last-word")] == ["kiln"]


def test_a_rulebook_ages(project):
    replace(project / CONFIG, 'old-rulebook = "off"\n', "")
    assert found(project, "old-rulebook", date(2026, 12, 1)) == []
    assert [f.store for f in found(project, "old-rulebook", date(2027, 1, 5))] == ["ios"]
    assert last_day("2024-02") == date(2024, 2, 29) and last_day("2024-02-03") == date(2024, 2, 3)


def test_an_outdated_translation_is_known_by_the_tools_own_edits(project):
    from tavolan.project.text_writing import TextWriter
    from tavolan.project.texts import TextChange, Texts

    TextWriter(Texts(tavolan.open_project(project))).write([TextChange("de-DE", "subtitle", "", "Neue Notizen")])
    assert found(project, "outdated") == []
    replace(project / EN, "Clay and kiln notes", "Clay, kiln and glaze notes")
    assert [(f.locale, f.field, f.line) for f in found(project, "outdated")] == [
        ("ar-SA", "subtitle", 2),
        ("de-DE", "subtitle", 2),
    ]
    TextWriter(Texts(tavolan.open_project(project))).write([TextChange("de-DE", "subtitle", "", "Noch neuere Notizen")])
    assert [f.locale for f in found(project, "outdated")] == ["ar-SA"]


def test_ids_stay_when_lines_move(project):
    replace(project / DE, "Notizen zum Brand", "x" * 31)
    (before,) = found(project, "too-long")
    replace(project / DE, "subtitle", "\n\n# moved\nsubtitle")
    replace(project / DE, "x" * 31, "x" * 40)
    (after,) = found(project, "too-long")
    assert before.id == after.id and before.line != after.line


@pytest.mark.parametrize("url", ["https://a.example", "https://a.example:8443/x?y=1", "https://münchen.example/ä"])
def test_good_links(url):
    assert url_fault(url) is None


@pytest.mark.parametrize(
    "url",
    [
        "a.example",
        "https:/a.example",
        "https://a",
        "https://-a.example",
        "https://a..example",
        "https://a example.org",
        "http://a.example",
        "ftp://a.example",
        "https://a.example:x",
    ],
)
def test_bad_links(url):
    assert url_fault(url)


@pytest.mark.parametrize(
    ("text", "first"),
    [("One. Two.", "One."), ("One\nTwo", "One"), ("一つ。二つ。", "一つ。"), ("v1.2 is out", "v1.2 is out")],
)
def test_first_sentences(text, first):
    assert first_sentence(text) == first
