"""Loading projects: good ones whole, bad ones with every problem at once."""

import re
import unicodedata

import pytest
from hypothesis import given
from hypothesis import strategies as st

import tavolan
from conftest import replace, run_tavolan, write_project
from tavolan.errors import ProjectError
from tavolan.project.load import load_project


def problems(root):
    with pytest.raises(ProjectError) as caught:
        load_project(root)
    return [str(problem) for problem in caught.value.problems]


def test_a_good_project_loads(shared_project):
    project = load_project(shared_project)
    assert list(project.copy) == ["en-US", "de-DE", "ar-SA"]
    assert project.value("ios", "de-DE", "title").content == "Potto: de-DE"
    assert project.value("ios", "de-DE", "title").line == 1
    assert [term.phrase for term in project.terms["en-US"]] == ["pottery kiln", "glaze recipe"]
    assert project.shots.shot[1].palette.top == "#102030"


def test_the_nearest_project_upwards_is_found(shared_project):
    assert tavolan.open_project(shared_project / "copy").root == shared_project.resolve()


def test_a_folder_without_a_project_says_so(tmp_path):
    with pytest.raises(ProjectError, match="tavolan new DIR"):
        tavolan.open_project(tmp_path)


BAD = [
    ("tavolan.toml", 'name = "Potto"', 'nmae = "Potto"', r"tavolan\.toml:2: app\.nmae: isn't a known key\. Did you mean \"name\"\?"),
    ("tavolan.toml", 'name = "Potto"', "name = 3", r"tavolan\.toml:2: app\.name: must be text in quotes, not 3"),
    ("tavolan.toml", 'source = "en-US"', 'source = "en-us"', r"tavolan\.toml:4: app\.source: .*written differently.*\"en-US\""),
    ("tavolan.toml", 'source = "en-US"', 'source = "english"', r"tavolan\.toml:4: app\.source: \"english\" isn't a locale tag"),
    ("tavolan.toml", '"ar-SA"]', '"ar-SA", "de-DE"]', r"tavolan\.toml:5: app\.locales: lists \"de-DE\" twice"),
    ("tavolan.toml", '"ar-SA"]', '"ar-SA", "it"]', r"copy/it\.toml: is missing: tavolan\.toml lists this locale"),
    ("tavolan.toml", 'locales = ["en-US", ', 'locales = [', r"doesn't hold the source locale \"en-US\""),
    ("tavolan.toml", "[store.ios]", "[store.oos]", r"tavolan\.toml:7: store\.oos: has no rulebook.*\"ios\""),
    ("tavolan.toml", '"tablet-13"]', '"tablet-31"]', r"tavolan\.toml:8: store\.ios\.classes: \"tablet-31\" isn't a size class.*\"tablet-13\""),
    ("tavolan.toml", '["US", "DE"]', '["US", "XX"]', r"tavolan\.toml:9: store\.ios\.storefronts: \"XX\" isn't a storefront"),
    ("tavolan.toml", '["US", "DE"]', '["US", "de"]', r"tavolan\.toml:9: store\.ios\.storefronts\.2: can't be \"de\""),
    ("tavolan.toml", 'copyright = "', 'copywrite = "', r"tavolan\.toml:12: store\.ios\.once: \"copywrite\" isn't a field of this store.*\"copyright\""),
    ("copy/de-DE.toml", "title =", "titel =", r"copy/de-DE\.toml:1: titel: isn't a known key\. Did you mean \"title\"\?"),
    ("copy/de-DE.toml", 'keywords = ["ton", "keramik"]', 'keywords = "pottery"', r"copy/de-DE\.toml:3: keywords: must be a list of texts"),
    ("copy/de-DE.toml", 'notes = "Bessere Notizen."', "notes = 7", r"copy/de-DE\.toml:5: notes: must be text"),
    ("copy/de-DE.toml", "[captions]", "[android]", r"copy/de-DE\.toml:9: android: is for android, which tavolan\.toml doesn't list"),
    ("copy/de-DE.toml", "[captions]", "[alternates]", r"copy/de-DE\.toml:10: alternates\.home: isn't a known field"),
    ("copy/de-DE.toml", 'title = "Potto: de-DE"', 'title = "Potto', r"copy/de-DE\.toml:1: isn't valid TOML"),
    ("shots.toml", 'look = "rise"', 'look = "Rise up"', r"shots\.toml:1: look: \"Rise up\" can't be a name"),
    ("shots.toml", '"#102030"', '"blue"', r"shots\.toml:11: shot\.2\.palette\.top: \"blue\" isn't a colour"),
    ("shots.toml", 'name = "kiln"', 'name = "home"', r"shots\.toml:8: shot\.home: has a name that's taken"),
    ("terms/en-US.csv", "relevance", "relevence", r"terms/en-US\.csv:1: header: has an unknown column \"relevence\".*\"relevance\""),
    ("terms/en-US.csv", "phrase", "note", r"terms/en-US\.csv:1: header: has no column \"phrase\""),
    ("terms/en-US.csv", ",90,", ",x,", r"terms/en-US\.csv:2: relevance: can't be \"x\""),
    ("terms/en-US.csv", ",90,", ",101,", r"terms/en-US\.csv:2: relevance: can't be \"101\".*0 to 100"),
    ("terms/en-US.csv", ",90,", ",nan,", r"terms/en-US\.csv:2: relevance: can't be \"nan\""),
    ("terms/en-US.csv", "80,5", "80", r"terms/en-US\.csv:3: has 2 cells where the header has 3"),
    ("terms/en-US.csv", "glaze recipe", "Pottery Kiln", r"terms/en-US\.csv:3: phrase: .* is on line 2 already"),
    ("terms/en-US.csv", "glaze recipe", '"glaze', r"terms/en-US\.csv:\d: isn't valid CSV"),
]  # fmt: skip


@pytest.mark.parametrize(("file", "old", "new", "message"), BAD)
def test_each_bad_input_has_one_message_with_its_line(project, file, old, new, message):
    replace(project / file, old, new)
    found = problems(project)
    assert sum(bool(re.search(message, problem)) for problem in found) == 1, found


def test_all_problems_come_at_once(project):
    for file, old, new, _ in (BAD[0], BAD[12], BAD[19], BAD[23]):
        replace(project / file, old, new)
    assert {problem.split(":")[0] for problem in problems(project)} == {
        "tavolan.toml",
        "copy/de-DE.toml",
        "shots.toml",
        "terms/en-US.csv",
    }


def test_what_follows_from_another_error_is_left_out(project):
    (project / "rules").mkdir()
    (project / "rules/ios.toml").write_text("[field.slogan]\nwhat = 'x'\n[field.title]\nmaxx = 31\n")
    replace(project / "copy/de-DE.toml", "subtitle =", 'slogan = "Ton"\nsubtitle =')
    assert problems(project) == ['rules/ios.toml:4: field.title.maxx: isn\'t a known key. Did you mean "max"?']
    (project / "rules/ios.toml").unlink()
    (project / "rules/own.toml").write_text("name = \n")
    replace(project / "copy/de-DE.toml", "slogan = ", "own_field = ")
    replace(project / "tavolan.toml", "[store.ios.once]", "[store.own]\n[store.ios.once]")
    assert [problem.split(":")[0] for problem in problems(project)] == ["rules/own.toml"]
    (project / "rules/own.toml").unlink()
    replace(project / "copy/en-US.toml", "subtitle =", "subtitle")
    replace(project / "copy/de-DE.toml", 'own_field = "Ton"', 'like = "en-US"')
    assert [problem.split(":")[0] for problem in problems(project)] == ["copy/en-US.toml", "tavolan.toml"]


def test_a_copy_file_that_nobody_lists_is_named(project):
    (project / "copy" / "ja.toml").write_text("")
    assert problems(project) == [
        "copy/ja.toml: isn't used: tavolan.toml doesn't list it. Add \"ja\" to locales in tavolan.toml, or move the file away."
    ]


def test_a_terms_file_may_name_storefronts(project):
    (project / "terms" / "en-US.csv").write_text("phrase,storefronts\npots,US CA\n")
    assert load_project(project).terms["en-US"][0].storefronts == ("US", "CA")
    (project / "terms" / "en-US.csv").write_text("phrase,storefronts\npots,Canada\n")
    assert problems(project)[0].startswith('terms/en-US.csv:2: storefronts: can\'t be "Canada"')


FILES = ("tavolan.toml", "shots.toml", "copy/de-DE.toml", "terms/en-US.csv", "rules/ios.toml")


@pytest.fixture(scope="module")
def fuzzed(tmp_path_factory):
    return write_project(tmp_path_factory.mktemp("fuzz") / "potto")


@given(
    st.sampled_from(FILES),
    st.integers(0, 400),
    st.one_of(st.binary(max_size=12), st.text(max_size=12).map(lambda text: text.encode("utf-8", "replace"))),
)
def test_damaged_files_end_in_problems_never_in_a_crash(fuzzed, file, at, junk):
    path = fuzzed / file
    path.parent.mkdir(exist_ok=True)
    before = path.read_bytes() if path.exists() else b""
    try:
        path.write_bytes(before[:at] + junk + before[at + len(junk) :])
        damaged = path.read_bytes()
        try:
            load_project(fuzzed)
        except ProjectError as error:
            assert error.problems
        assert path.read_bytes() == damaged
    finally:
        path.write_bytes(before)
        if not before:
            path.unlink()


def test_what_is_counted_is_what_is_handed_over(project):
    syllables = unicodedata.normalize("NFD", "한" * 25)
    replace(project / "copy/de-DE.toml", "Notizen zum Brand", syllables)
    done = run_tavolan("copy", "show", "de-DE", "subtitle", cwd=project)
    assert done.out.rstrip("\n") == "한" * 25 and len(syllables) == 75
    assert not [f for f in tavolan.check(tavolan.open_project(project)) if f.rule == "too-long"]
    assert run_tavolan("copy", "sheet", project / "s.csv", cwd=project).code == 0
    assert "한" * 25 in (project / "s.csv").read_text("utf-8-sig")
