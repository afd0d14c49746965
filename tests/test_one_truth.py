"""No two commands disagree: each figure that two of them show is the same, and a count equals its rows."""

import json
import tomllib

import pytest
from jsonschema import Draft202012Validator

import tavolan
from conftest import replace, run_tavolan
from tavolan.checking import count_levels
from tavolan.checking.findings import Finding, merged
from tavolan.project.texts import Texts
from tavolan.project.translation_progress import NEEDS_WORK, translations_of
from tavolan.rulebooks.load import shipped_rulebook
from tavolan.rulebooks.measure import beyond
from tavolan.sample.write import sample_files


@pytest.fixture(scope="module")
def sample(tmp_path_factory):
    root = tmp_path_factory.mktemp("sample")
    for name, data in sample_files().items():
        (root / name).parent.mkdir(parents=True, exist_ok=True)
        (root / name).write_bytes(data)
    return root


def shown(root, *command, **env):
    done = run_tavolan(*command, cwd=root, COLUMNS="400", **env)
    assert done.code in (0, 1), done.err
    return done


def test_coverage_is_one_figure_everywhere(sample):
    cover = shown(sample, "terms", "cover", "--json").json
    rows = [(a["store"], a["storefront"], a["covered"]) for a in cover["answers"]]
    for store, fronts in cover["summary"].items():
        for front, cell in fronts.items():
            own = [covered for s, f, covered in rows if (s, f) == (store, front)]
            assert (cell["phrases"], cell["covered"]) == (len(own), sum(own))
    lists = shown(sample, "terms", "cover", "--lists", "--json").json["lists"]
    for store, fronts in cover["summary"].items():
        for front, cell in fronts.items():
            own = [row for row in lists if (row["store"], row["storefront"]) == (store, front)]
            assert (sum(r["phrases"] for r in own), sum(r["answered"] for r in own)) == (
                cell["phrases"],
                cell["covered"],
            )
            assert sum(r["value"] for r in own) == pytest.approx(cell["value"], abs=0.1)
    table = shown(sample, "terms", "cover").out
    us = cover["summary"]["ios"]["US"]
    assert f"{us['covered']}/{us['phrases']}" in table
    one = shown(sample, "terms", "cover", "--storefront", "US", "--store", "ios").out
    assert f"{us['covered']} of {us['phrases']} phrases answered" in one
    by_list = shown(
        sample, "terms", "cover", "--word-list", "to win", "--store", "ios", "--storefront", "US", "--json"
    ).json
    own = [r for r in lists if (r["list"], r["store"], r["storefront"]) == ("to win", "ios", "US")]
    cell = by_list["summary"]["ios"]["US"]
    assert (sum(r["answered"] for r in own), sum(r["phrases"] for r in own)) == (cell["covered"], cell["phrases"])
    plan = shown(sample, "terms", "plan", "--locale", "ja", "--json").json
    assert plan["before"] == pytest.approx(
        sum(cell["value"] for front, cell in cover["summary"]["ios"].items() if front == "JP"), abs=0.01
    )


def test_difficulty_is_one_figure_everywhere(sample):
    scores = {
        (s["phrase"], s["storefront"]): s["difficulty"]
        for s in shown(sample, "terms", "score", "--locale", "en-US", "--json").json["scores"]
    }
    chance = {}
    factors = shown(sample, "terms", "plan", "--locale", "en-US", "--why").out.split("value = ")[0]
    for line in factors.splitlines():
        if line.startswith("en-US") and len(line.split()) > 5:
            # Relevance, demand and its origin, difficulty and its origin, chance, value at best.
            *words, _, _, _, _, _, value, _ = line.split()[1:]
            chance[" ".join(words)] = float(value)
    opened = tavolan.open_project(sample)
    ranked = {
        phrase for phrase in chance if any(phrase in row for row in (sample / "data/ranks.csv").read_text().split("\n"))
    }
    for (phrase, _), hard in scores.items():
        if phrase not in ranked:
            assert chance[phrase] == pytest.approx(max(0.05, 1 - hard / 100), abs=0.006), phrase
    assert {t.phrase: t.difficulty for t in opened.terms["en-US"]}["kiln log"] == scores["kiln log", "US"] == 22
    fit = shown(sample, "terms", "score", "--reach", "--locale", "en-US", "--json").json
    assert fit["reach"]["kiln log"] == "won"


def test_an_empty_difficulty_comes_from_the_page_in_score_plan_and_fit(sample, tmp_path):
    for path in sample.rglob("*"):
        if path.is_file() and "out" not in path.parts:
            (tmp_path / path.relative_to(sample)).parent.mkdir(parents=True, exist_ok=True)
            (tmp_path / path.relative_to(sample)).write_bytes(path.read_bytes())
    replace(tmp_path / "terms/en-US.csv", "cone chart,70,29,18", "cone chart,70,29,")
    scores = shown(tmp_path, "terms", "score", "--locale", "en-US", "--json").json["scores"]
    score = next(one for one in scores if one["phrase"] == "cone chart")
    assert score["difficulty_from"] == "page" and score["difficulty"] == score["page"]
    why = shown(tmp_path, "terms", "plan", "--locale", "en-US", "--why").out
    (line,) = [line for line in why.splitlines() if line.startswith("en-US   cone chart")]
    assert float(line.split()[-2]) == pytest.approx(1 - score["difficulty"] / 100, abs=0.006)


def test_counts_equal_their_rows(sample):
    document = shown(sample, "check", "--json").json
    for level in ("error", "warning", "note"):
        rows = [f for f in document["findings"] if f["level"] == level and not f["waived"]]
        assert len(rows) == document["summary"][level]
    table = shown(sample, "check", "--notes").out
    for level in ("error", "warning", "note"):
        rows = [line for line in table.splitlines() if line.startswith(f"{level} ")]
        assert len(rows) == document["summary"][level], level
    ids = [f["id"] for f in document["findings"]]
    assert len(ids) == len(set(ids))
    one = shown(sample, "check", "--locale", "de-DE", "--store", "ios")
    assert "in 1 locale, 1 store." in one.out
    sarif = json.loads(shown(sample, "check", "--format", "sarif").out)
    assert len(sarif["runs"][0]["results"]) == len(document["findings"])


def test_status_counts_what_check_and_locale_status_count(sample):
    opened = tavolan.open_project(sample)
    findings = tavolan.check(opened)
    rows = {(row["locale"], row["store"]): row for row in shown(sample, "status", "--json").json["rows"]}
    for (tag, store), row in rows.items():
        outdated = {f.field for f in findings if f.rule == "outdated" and f.locale == tag and f.concerns(store)}
        over = {f.field for f in findings if f.rule == "too-long" and f.locale == tag and f.concerns(store)}
        assert (row["outdated"], row["over"]) == (len(outdated), len(over)), (tag, store)
    locales = shown(sample, "status", "--translations", "--json").json["locales"]
    texts = Texts(opened)
    for tag, counts in locales.items():
        own = translations_of(texts, tag)
        assert counts["total"] == len(own)
        assert len(counts["needs_work"]) == sum(unit.standing in NEEDS_WORK for unit in own)
        assert counts["outdated"] == sum(f.rule == "outdated" and f.locale == tag for f in findings)
    sent = shown(sample, "locale", "send").out
    for tag, counts in locales.items():
        if counts["needs_work"]:
            assert f"{len(counts['needs_work'])} text" in next(
                line for line in sent.splitlines() if line.startswith(tag)
            )


def test_what_a_visitor_sees_has_one_length(sample):
    table = shown(sample, "copy", "show", "--field", "subtitle").out
    assert next(line for line in table.splitlines() if line.startswith("de-DE")).count("38/30") == 1
    assert "38/30" in shown(sample, "copy", "show", "de-DE").out
    finding = next(f for f in shown(sample, "check", "--json").json["findings"] if f["rule"] == "too-long")
    assert (finding["measured"], finding["limit"]) == (38, 30)


def test_the_same_finding_of_several_stores_is_one():
    place = ("de-DE", "title", "copy/de-DE.toml", 1, "is wrong", "Mend it.")
    ios, android = (Finding("a", "error", store, *place) for store in ("ios", "android"))
    other = Finding("a", "error", "maker", *place[:4], "is worse", "Mend it.")
    found = merged([ios, android, other])
    assert [f.stores for f in found] == [("ios", "android"), ("maker",)] and count_levels(found)["error"] == 2
    assert found[0].concerns("android") and not found[0].concerns("maker")


def test_a_number_over_its_limit_is_shown_over_it():
    assert [beyond(*pair) for pair in ((3.04, 3), (3.004, 3), (12.26, 3))] == ["3.04", "3.004", "12.3"]


# --- what applies, and what's written once --------------------------------------------------------------------


def test_links_are_written_once_and_count_everywhere(project):
    for tag in ("en-US", "de-DE", "ar-SA"):
        path = project / f"copy/{tag}.toml"
        path.write_text("".join(line for line in path.read_text().splitlines(True) if "_url" not in line))
    missing = [f for f in tavolan.check(tavolan.open_project(project)) if f.rule == "to-write"]
    assert [(f.locale, f.field) for f in missing] == [("", "privacy_url"), ("", "support_url")]
    config = (
        '[once]\nsupport_url = "https://potto.example/help"\nprivacy_url = "https://potto.example/p"\n[store.ios.once]'
    )
    replace(project / "tavolan.toml", "[store.ios.once]", config)
    opened = tavolan.open_project(project)
    assert [f for f in tavolan.check(opened) if f.rule == "to-write"] == []
    assert Texts(opened).shown("de-DE", "support_url") == ("https://potto.example/help", "[once]")
    assert "https://potto.example/help" in run_tavolan("copy", "show", "de-DE", cwd=project).out
    rows = run_tavolan("status", "--json", cwd=project).json["rows"]
    assert {row["ready"] for row in rows} == {7}
    replace(project / "tavolan.toml", "support_url", "suport_url")
    assert 'once.suport_url: is no field of any store here. Did you mean "support_url"?' in run_tavolan(
        "check", cwd=project).err  # fmt: skip


def test_what_a_store_or_locale_does_not_take_is_not_asked_for(project):
    replace(
        project / "tavolan.toml",
        "[store.ios.once]",
        '[store.maker]\nclasses = []\nlocales = ["en-US"]\n[store.ios.once]',
    )
    replace(project / "copy/en-US.toml", "[captions]", '[maker]\nbullets = ["One", "Two"]\nshort = "S"\n[captions]')
    replace(project / "copy/en-US.toml", 'title = "Potto', 'bullets = ["Fine"]\ntitle = "Potto')
    texts = Texts(tavolan.open_project(project))
    assert "tv_description" not in texts.addresses()
    assert not any("bullets" in unit.address or "short" in unit.address for unit in translations_of(texts, "de-DE"))
    assert "bullets" not in run_tavolan("copy", "show", "de-DE", cwd=project).out
    assert "tv_description" not in run_tavolan("copy", "show", "en-US", cwd=project).out
    replace(project / "tavolan.toml", 'source = "en-US"', 'source = "en-US"\nruns_on = ["phone", "tv"]')
    assert "tv_description" in Texts(tavolan.open_project(project)).addresses()


def test_an_optional_gap_is_nothing_in_a_close_locale_too(project):
    replace(project / "tavolan.toml", 'locales = ["en-US", ', 'locales = ["en-US", "de-AT", ')
    (project / "copy/de-AT.toml").write_text('like = "de-DE"\n')
    replace(project / "copy/en-US.toml", 'title = "Potto', 'tester_notes = "Try it."\ntitle = "Potto')
    assert not [f for f in tavolan.check(tavolan.open_project(project)) if "tester" in f.field]


def test_status_and_next_name_what_is_missing(tmp_path):
    assert run_tavolan("new", tmp_path / "p", "--store", "ios", "--locale", "de-DE").code == 0
    done = run_tavolan("status", cwd=tmp_path / "p")
    assert "What to do next: tavolan next" in done.out
    first = run_tavolan("next", cwd=tmp_path / "p").out.splitlines()
    assert first[0].startswith("The way to a first hand-over") and "Write description, title in en-US" in first[1]
    assert "still to write: age_answers, category, copyright, review_contact, stock_number" in done.out
    document = run_tavolan("status", "--json", cwd=tmp_path / "p").json
    assert document["facts"]["ios"]["missing"] == [
        "age_answers",
        "category",
        "copyright",
        "review_contact",
        "stock_number",
    ]
    replace(tmp_path / "p/copy/de-DE.toml", 'subtitle = ""', f'subtitle = "{"x" * 31}"')
    assert "Write description, title in en-US" in run_tavolan("next", cwd=tmp_path / "p").out.splitlines()[1]


def test_a_store_that_lacks_a_locale_has_nothing_ready_in_it(project):
    replace(project / "tavolan.toml", "[store.ios.once]", "[store.maker]\nclasses = []\n[store.ios.once]")
    rows = {(r["locale"], r["store"]): r for r in run_tavolan("status", "--json", cwd=project).json["rows"]}
    assert rows["ar-SA", "maker"]["refused"] == 1 and rows["ar-SA", "maker"]["ready"] == 0


# --- tools of their own ----------------------------------------------------------------------------------------


@pytest.mark.parametrize("name", ["tavolan", "shots", "copy", "rulebook", "look"])
def test_the_schemas_fit_the_files_that_people_write(sample, name):
    schema = run_tavolan("schema", name, cwd=sample).json
    Draft202012Validator.check_schema(schema)
    validator = Draft202012Validator(schema)
    files = {
        "tavolan": ["tavolan.toml"],
        "shots": ["shots.toml"],
        "copy": [f"copy/{p.name}" for p in (sample / "copy").glob("*.toml")],
    }
    for file in files.get(name, []):
        # Dates of TOML are texts to an editor.
        data = json.loads(json.dumps(tomllib.loads((sample / file).read_text()), default=str))
        assert [error.message for error in validator.iter_errors(data)] == [], file
    bad = {"tavolan": {"app": {"nmae": "x"}}, "shots": {"shot": [{"name": "x", "screen": 1}]}, "copy": {"titel": "x"},
           "rulebook": {"field": {"title": {"max": "x"}}}, "look": {"schema": "tavolan/look@1", "colour": 1}}  # fmt: skip
    assert list(validator.iter_errors(bad[name]))
    if name == "rulebook":
        assert list(validator.iter_errors({"field": {"title": {"max": 32}}})) == []
    if name == "look":
        from tavolan.pictures.design.look import BUILT_IN

        for path in BUILT_IN.glob("*.toml"):
            assert list(validator.iter_errors(tomllib.loads(path.read_text()))) == [], path


def test_a_new_project_names_its_schemas_and_the_heads_of_its_data(tmp_path):
    assert run_tavolan("new", tmp_path / "p").code == 0
    for file in ("tavolan.toml", "shots.toml", "replies.toml", "copy/en-US.toml"):
        first = (tmp_path / "p" / file).read_text().splitlines()[0]
        assert first.startswith("#:schema ") and ((tmp_path / "p" / file).parent / first.split()[1]).is_file()
    assert (tmp_path / "p/data/ranks.csv").read_text().startswith("date,store,app,storefront,phrase,rank,depth")
    assert run_tavolan("check", cwd=tmp_path / "p").code == 0
    assert run_tavolan("schema", "nothing").code == 2
    assert "Name one of " in run_tavolan("schema").err
    done = run_tavolan("schema", "--out", tmp_path / "s")
    assert done.code == 0 and sorted(path.name for path in (tmp_path / "s").iterdir()) == [
        "copy.json", "experiment.json", "look.json", "replies.json", "rulebook.json", "shots.json", "tavolan.json",
        "title-style.json", "video.json",
    ]  # fmt: skip


@pytest.mark.parametrize(
    ("typed", "completed"),
    [
        ("tavolan check --locale d", "de-DE"),
        ("tavolan copy show de-DE sub", "subtitle"),
        ("tavolan shots render --shot k", "kiln"),
        ("tavolan shots looks --look lo", "loupe"),
        ("tavolan terms cover --storefront D", "DE"),
        ("tavolan sho", "shots"),
    ],
)
def test_the_shell_completes_names_of_the_project_at_hand(shared_project, typed, completed):
    env = {"COMP_WORDS": typed, "COMP_CWORD": str(len(typed.split()) - 1), "_TAVOLAN_COMPLETE": "complete_bash"}
    assert completed in run_tavolan(cwd=shared_project, **env).out.split()


def test_a_project_that_cannot_be_read_completes_nothing(tmp_path):
    env = {"COMP_WORDS": "tavolan check --locale d", "COMP_CWORD": "3", "_TAVOLAN_COMPLETE": "complete_bash"}
    assert run_tavolan(cwd=tmp_path, **env).out.split() == []


def test_the_next_version_is_opened(project):
    replace(project / "tavolan.toml", 'name = "Potto"', 'name = "Potto"\nversion = "1.0"  # now\nfirst_version = true')
    assert run_tavolan("notes", "keep", "--next", "1.0", cwd=project).code == 2
    done = run_tavolan("notes", "keep", "--next", "1.1", cwd=project)
    assert done.code == 0 and "version 1.1 is open" in done.out
    text = (project / "tavolan.toml").read_text()
    assert 'version = "1.1"  # now' in text and "first_version" not in text


def test_locales_are_suggested_by_the_people_they_reach(project):
    done = run_tavolan("locale", "add", "--suggest", cwd=project)
    assert done.code == 0 and done.out.index("First language shown") < done.out.index("A second keyword budget")
    first = done.out.split("A second keyword budget")[0]
    assert first.index("zh-Hans") < first.index("pt-BR") < first.index("fr-FR") < first.index("fi ")


def test_the_subjects_of_answers_are_listed_and_held_to(project):
    shown_rules = run_tavolan("rules", "show", "ios", cwd=project).out
    assert all(subject in shown_rules for subject in shipped_rulebook("ios").fields["age_answers"].parts)
    replace(project / "tavolan.toml", 'violence = "none"', 'voilence = "none"')
    (found,) = [f for f in tavolan.check(tavolan.open_project(project)) if f.rule == "wrong-kind"]
    assert 'unknown subject "voilence"' in found.message and "violence" in found.remedy


@pytest.mark.parametrize(
    "command", [["check"], ["status"], ["terms", "cover"], ["status", "--translations"], ["rules"]]
)
def test_table_heads_fit_a_narrow_terminal(sample, command):
    out = run_tavolan(*command, cwd=sample, COLUMNS="80").out
    heads = {"status": "locale", "terms": "storefront", "locale": "outdated", "rules": "confidence"}
    if command[0] in heads:
        assert any(heads[command[0]] in line for line in out.splitlines()[:2])
