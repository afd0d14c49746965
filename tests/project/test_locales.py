"""Languages: states, sending, receiving, drafting, memory, adding and suggesting."""

import csv
import io
import re
import shutil
import tomllib

import pytest
from translate.storage import tbx

import tavolan
from conftest import LAUGHS, replace, run_tavolan, standings
from tavolan.errors import ProjectError
from tavolan.project.memory import Pair, matches, parse_tmx, read_memory, remember, write_tmx

# --- states -----------------------------------------------------------------------------------------------------


def test_a_text_goes_through_its_states(project):
    assert standings(project, "de-DE")["subtitle"] == "translated"
    replace(project / "copy/de-DE.toml", 'subtitle = "Notizen zum Brand"\n', "")
    assert standings(project, "de-DE")["subtitle"] == "untranslated"
    run_tavolan("copy", "set", "de-DE", "subtitle", "Notizen", cwd=project)
    assert standings(project, "de-DE")["subtitle"] == "translated"
    run_tavolan("copy", "set", "en-US", "subtitle", "Clay and fire notes", cwd=project)
    assert standings(project, "de-DE")["subtitle"] == "outdated"
    # A person who edits the file by hand has seen the source.
    replace(project / "copy/de-DE.toml", '"Notizen"', '"Notizen zu Ton und Feuer"')
    assert standings(project, "de-DE")["subtitle"] == "translated"
    replace(project / "copy/de-DE.toml", '"Notizen zu Ton und Feuer"', f'"{"lang " * 9}"')
    assert standings(project, "de-DE")["subtitle"] == "over"


def test_the_state_file_merges_and_its_faults_are_told(project):
    run_tavolan("copy", "set", "de-DE", "title", "Potto auf Deutsch", cwd=project)
    rows = list(csv.DictReader(io.StringIO((project / "copy/state.csv").read_text())))
    assert [row["locale"] for row in rows] == ["ar-SA"] * 6 + ["de-DE"] * 6
    (title,) = (row for row in rows if row["locale"] == "de-DE" and row["field"] == "title")
    assert title["state"] == "translated" and title["text"]
    (project / "copy/state.csv").write_text("locale,field,source\nde-DE,title,abc\n")
    assert standings(project, "de-DE")["title"] == "outdated"
    (project / "copy/state.csv").write_text("locale,field,source,state,text\nde-DE,title,abc,perfect,x\n")
    with pytest.raises(ProjectError, match=r'state\.csv:2: state: "perfect" is no state'):
        tavolan.open_project(project)


def test_status_shows_every_language(project):
    replace(project / "copy/de-DE.toml", 'subtitle = "Notizen zum Brand"\n', "")
    done = run_tavolan("status", "--translations", cwd=project)
    assert done.code == 0 and "German (Germany)" in done.out and "83 %" in done.out and "en-US" not in done.out
    document = run_tavolan("status", "--translations", "--json", cwd=project).json
    assert document["locales"]["de-DE"]["needs_work"] == [{"field": "subtitle", "state": "untranslated", "over": ""}]
    assert "Clay and kiln notes" in run_tavolan("status", "--translations", "--units", cwd=project).out


# --- receiving --------------------------------------------------------------------------------------------------


def sent(project, *args):
    """Send everything to German and return the file."""
    run_tavolan("locale", "send", "--all", "--locale", "de-DE", *args, cwd=project)
    return project / "out/send/de-DE.xlf"


def test_a_translation_is_written_and_its_review_remembered(project):
    path = sent(project)
    replace(path, "<target>Notizen zum Brand</target>", "<target>Ton und Ofen</target>")
    replace(path, 'state="translated">\n        <source>Clay', 'state="reviewed">\n        <source>Clay')
    dry = run_tavolan("locale", "receive", path, "--dry-run", cwd=project)
    assert "1 text would be written" in dry.out and "Ton und Ofen" not in (project / "copy/de-DE.toml").read_text()
    assert run_tavolan("locale", "receive", path, cwd=project).code == 0
    assert standings(project, "de-DE")["subtitle"] == "reviewed"


def test_receiving_again_mends_what_a_killed_run_did_not_remember(project):
    path = sent(project)
    replace(path, "<target>Notizen zum Brand</target>", "<target>Ton und Ofen</target>")
    state = project / "copy/state.csv"
    assert run_tavolan("locale", "receive", path, cwd=project).code == 0
    whole = state.read_bytes()
    state.unlink()
    assert "0 texts written" in run_tavolan("locale", "receive", path, cwd=project).out
    assert state.read_bytes() == whole
    replace(project / "copy/en-US.toml", "Clay and kiln notes", "Kiln notes")
    assert standings(project, "de-DE")["subtitle"] == "outdated"


def test_what_changed_on_both_sides_is_a_conflict_to_decide(project):
    path = sent(project)
    replace(path, "<target>Notizen zum Brand</target>", "<target>Vom Übersetzer</target>")
    replace(project / "copy/de-DE.toml", '"Notizen zum Brand"', '"Von mir"')
    done = run_tavolan("locale", "receive", path, cwd=project)
    assert done.code == 1 and "conflict  de-DE subtitle: both sides changed it" in done.out
    assert '"Von mir"' in (project / "copy/de-DE.toml").read_text()
    assert run_tavolan("locale", "receive", path, "--prefer", "mine", cwd=project).code == 0
    assert '"Von mir"' in (project / "copy/de-DE.toml").read_text()
    assert run_tavolan("locale", "receive", path, "--prefer", "theirs", cwd=project).code == 0
    assert '"Vom Übersetzer"' in (project / "copy/de-DE.toml").read_text()


def test_a_changed_source_a_lost_code_and_a_stranger_are_refused_one_by_one(project):
    path = sent(project)
    replace(path, "<target>Notizen zum Brand</target>", "<target>Neu</target>")
    replace(path, ">Töpfe</pc>", ">Krüge</pc>")
    replace(path, 'Alle <pc id="1" type="fmt" subType="tavolan:emphasis">Krüge</pc>', "Alle Krüge")
    replace(path, 'id="promo"' if 'id="promo"' in path.read_text() else 'id="notes"', 'id="stranger"')
    replace(project / "copy/en-US.toml", "Clay and kiln notes", "Clay and fire notes")
    done = run_tavolan("locale", "receive", path, cwd=project)
    assert done.code == 1
    assert "de-DE subtitle: the source changed since this was sent" in done.out
    assert "de-DE captions.home: lost the emphasis" in done.out
    assert 'de-DE stranger: there\'s no field "stranger"' in done.out
    assert '"Notizen zum Brand"' in (project / "copy/de-DE.toml").read_text()


def test_a_file_that_a_tool_only_indented_is_taken(project):
    path = sent(project)
    text = path.read_text()
    assert "<source>Clay and kiln notes</source>" in text
    text = text.replace("Notizen zum Brand", "Notizen\n      zum Feuer")
    path.write_text(
        re.sub(r"<(source|target)([^>]*)>(.+?)</\1>", r"<\1\2>\n      \3\n    </\1>", text, flags=re.DOTALL)
    )
    done = run_tavolan("locale", "receive", path, cwd=project)
    assert done.code == 0 and "source changed" not in done.out + done.err, done.out + done.err
    assert tavolan.open_project(project).copy["de-DE"].data["subtitle"] == "Notizen zum Feuer"


def test_files_of_other_projects_and_languages_are_refused_whole(project):
    path = sent(project)
    text = path.read_text()
    for old, new, words in (
        ('original="Potto/', 'original="Other/', 'is for "Other", and this project is "Potto"'),
        ('srcLang="en-US"', 'srcLang="fr-FR"', "is from fr-FR"),
        ('trgLang="de-DE"', 'trgLang="it"', 'is for the locale "it"'),
        ('trgLang="de-DE"', 'trgLang="en-US"', "into the source locale itself"),
    ):
        path.write_text(text.replace(old, new))
        done = run_tavolan("locale", "receive", path, cwd=project)
        assert done.code == 3 and words in done.err, new


def test_a_text_over_its_limit_is_written_and_told(project):
    path = sent(project)
    replace(path, "<target>Notizen zum Brand</target>", f"<target>{'lang ' * 8}</target>")
    done = run_tavolan("locale", "receive", path, cwd=project)
    assert "over      de-DE subtitle: 40 characters, 10 over the limit of 30" in done.out
    assert standings(project, "de-DE")["subtitle"] == "over"


# --- memory, adding, suggesting ---------------------------------------------------------------------------------


def test_the_memory_finds_exact_and_near_texts(tmp_path):
    pairs = [
        Pair("en-US", "de-DE", "Watch every firing live", "Jeden Brand live verfolgen", "captions.a"),
        Pair("en-US", "de-DE", "Something else entirely here", "Ganz anders", "captions.b"),
        Pair("en-US", "ja", "Watch every firing live", "焼成をライブで", "captions.a"),
    ]
    assert parse_tmx(write_tmx(pairs, "en-US"), "m.tmx") == sorted(pairs, key=lambda p: (p.locale, p.address))
    assert [m.score for m in matches(pairs, "Watch every firing live", "de-DE")] == [1.0]
    (near,) = matches(pairs, "Watch each firing live", "de-DE")
    assert 0.7 <= near.score < 1 and near.pair.target == "Jeden Brand live verfolgen"
    (tmp_path / "copy").mkdir()
    assert remember(tmp_path, pairs, "en-US") == 3 and remember(tmp_path, pairs, "en-US") == 0
    assert len(read_memory(tmp_path)) == 3
    with pytest.raises(ProjectError, match="declares entities"):
        parse_tmx(LAUGHS, "m.tmx")


def test_a_locale_is_added_with_all_it_needs(project):
    done = run_tavolan("locale", "add", "de-AT", "--like", "de-DE", "--anyway", cwd=project)
    assert done.code == 0 and "ios doesn't have de-AT: it's left out there" in done.out
    assert (project / "copy/de-AT.toml").read_text().endswith('like = "de-DE"\n')
    opened = tavolan.open_project(project)
    assert "de-AT" in opened.app.locales and "de-AT" not in opened.stores["ios"].locales
    assert run_tavolan("locale", "add", "fr-FR", "--like", "de-DE", cwd=project).code == 0
    opened = tavolan.open_project(project)
    assert "fr-FR" in opened.stores["ios"].locales and not opened.value("ios", "fr-FR", "title").written
    written = (project / "copy/fr-FR.toml").read_text()
    uncommented = re.sub(r"^# ?", "", written.split("\n\n", 1)[1], flags=re.M)
    texts, pattern = tomllib.loads(uncommented), tomllib.loads((project / "copy/de-DE.toml").read_text())
    assert texts["title"] == pattern["title"] and texts["captions"] == pattern["captions"] and "keywords" not in texts
    for args, words in (
        (["de-DE"], "has de-DE already"), (["xx-YY-zz-1"], ""), (["it", "--like", "es-ES"], "has no"),
        (["de-CH", "--like", "de-AT"], "is itself like de-DE"), (["de-CH", "--like", "de"], "has no"),
    ):  # fmt: skip
        done = run_tavolan("locale", "add", *args, cwd=project)
        assert done.code == 2 and words in done.err


def test_many_locales_are_added_at_once_or_none(project):
    before = (project / "tavolan.toml").read_bytes()
    done = run_tavolan("locale", "add", "ja", "fr", cwd=project)
    assert done.code == 2 and "no store of this project has fr. Meant: fr-FR or fr-CA?" in done.err
    assert (project / "tavolan.toml").read_bytes() == before and not (project / "copy/ja.toml").exists()
    assert run_tavolan("locale", "add", "ja", "fr-FR", "nl-NL", cwd=project).code == 0
    assert set(tavolan.open_project(project).stores["ios"].locales) >= {
        "en-US",
        "de-DE",
        "ar-SA",
        "ja",
        "fr-FR",
        "nl-NL",
    }
    for wrong in ([], ["--store", "ios"], ["it", "--all"]):
        done = run_tavolan("locale", "add", *wrong, cwd=project)
        assert done.code == 2 and "which locales to add isn't said" in done.err


@pytest.mark.parametrize(
    ("tag", "meant"),
    [("jp", "Meant: ja?"), ("ua", "Meant: uk?"), ("cz", "Meant: cs?"), ("se", "Meant: sv?"), ("zh-CN", "Add zh-Hans"),
     ("pt", "Add pt-BR"), ("de-AT", "Meant: de-DE?"), ("klingon", "Write a BCP 47 tag"), ("gsw", "To add it: --anyway.")],
)  # fmt: skip
def test_a_tag_that_no_store_has_points_to_what_may_be_meant(two_stores, tag, meant):
    before = (two_stores / "tavolan.toml").read_bytes()
    done = run_tavolan("locale", "add", tag, cwd=two_stores)
    assert done.code == 2 and meant in done.err, done.err
    assert (two_stores / "tavolan.toml").read_bytes() == before and not (two_stores / f"copy/{tag}.toml").exists()


@pytest.fixture(scope="module")
def two_stores(tmp_path_factory):
    """Return a new project of all three stores, read-only."""
    root = tmp_path_factory.mktemp("stores") / "app"
    stores = [part for store in ("ios", "android", "maker") for part in ("--store", store)]
    assert run_tavolan("new", root, *stores, cwd=root.parent).code == 0
    return root


def test_all_locales_of_a_store_are_added_and_each_store_has_all_that_it_knows(two_stores, tmp_path):
    root = shutil.copytree(two_stores, tmp_path / "app")
    done = run_tavolan("locale", "add", "--all", "--store", "android", cwd=root)
    assert done.code == 0, done.err
    opened = tavolan.open_project(root)
    for store in opened.stores.values():
        known = {tag for tag in opened.app.locales if store.rulebook.store_code(tag)}
        assert set(store.locales) == known, store.id
    android = opened.stores["android"].rulebook
    codes = [android.store_code(tag) for tag in opened.stores["android"].locales]
    assert sorted(codes) == sorted({*android.locales.codes, *android.locales.low_confidence_codes})
    assert len(opened.stores["ios"].locales) > 30
    assert (
        "All locales of the stores are there."
        in run_tavolan("locale", "add", "--all", "--store", "android", cwd=root).out
    )


def test_suggested_locales_can_be_added(project):
    found = run_tavolan("locale", "add", "--suggest", "--json", cwd=project).json["suggestions"]
    tags = list(dict.fromkeys(item["locale"] for item in found))
    assert tags and run_tavolan("locale", "add", *tags, cwd=project).code == 0


def test_suggestions_name_storefronts(project):
    done = run_tavolan("locale", "add", "--suggest", cwd=project, **{"COLUMNS": "140"})
    assert done.code == 0 and "fr-FR" in done.out and "second keyword budget" in done.out
    assert run_tavolan("locale", "add", "--suggest", "--store", "nowhere", cwd=project).code == 2


GLOSSARY = "term,locale,target,use,note\nkiln,de-DE,Ofen,preferred,\nkiln,de-DE,Darre,forbidden,dries hops\n"


def test_the_glossary_goes_along_as_tbx_and_what_it_forbids_is_refused(project):
    (project / "copy/glossary.csv").write_text(GLOSSARY)
    path = sent(project)
    store = tbx.tbxfile.parsefile(str(project / "out/send/glossary.tbx"))
    (kiln,) = store.units
    assert [term.text for term in kiln.get_source_terms()] == ["kiln"]
    offered, forbidden = kiln.get_target_terms("de-DE")
    assert offered.text == "Ofen" and not offered.deprecated
    assert forbidden.text == "Darre" and forbidden.deprecated and forbidden.notes[-1].text == "dries hops"
    replace(path, "<target>Notizen zum Brand</target>", "<target>Notizen zur Darre</target>")
    done = run_tavolan("locale", "receive", path, cwd=project)
    assert done.code == 1 and "calls “kiln” “Darre”, which the glossary forbids" in done.out
    (project / "copy/glossary.csv").write_text("term,locale,target,use,note\nkiln,de-DE,Ofen,loved,\nkiln,,,,\n")
    done = run_tavolan("locale", "send", "--all", cwd=project)
    assert done.code == 3 and 'glossary.csv:2: "loved" is no use' in done.err and "glossary.csv:3" in done.err


def test_the_memory_remembers_offers_and_travels(project, tmp_path):
    run_tavolan("copy", "set", "en-US", "subtitle", "Clay and fire notes", cwd=project)
    assert (project / "copy/memory.tmx").read_text().count("<tu ") == 2
    run_tavolan("copy", "set", "de-DE", "subtitle", "Notizen zum Brand", cwd=project)
    run_tavolan("copy", "set", "en-US", "subtitle", "Clay and glaze notes", cwd=project)
    assert "glaze" in run_tavolan("status", "--translations", "--units", cwd=project).out
    text = sent(project).read_text()
    assert 'similarity="75"' in text and "Clay and fire notes" in text
    assert "<alt-trans" in sent(project, "--format", "xliff-1.2").read_text()
    written = run_tavolan("locale", "send", "--format", "tmx", "--out", tmp_path, cwd=project)
    whole = tmp_path / "memory.tmx"
    assert written.code == 0 and f"{whole}" in written.out
    (project / "copy/memory.tmx").unlink()
    shown = run_tavolan("locale", "receive", whole, "--dry-run", cwd=project)
    assert "would be new" in shown.out and not (project / "copy/memory.tmx").exists()
    done = run_tavolan("locale", "receive", whole, cwd=project)
    assert done.code == 0 and "pairs for this project new" in done.out
    assert "Clay and fire notes" in (project / "copy/memory.tmx").read_text()
    assert run_tavolan("locale", "receive", tmp_path / "none.tmx", cwd=project).code == 3


def test_tables_are_documents_too(project):
    found = run_tavolan("copy", "show", "--field", "subtitle", "--json", cwd=project).json
    assert found["schema"] == "tavolan/field@1" and found["field"] == "subtitle"
    (german,) = [row for row in found["locales"] if row["locale"] == "de-DE"]
    assert (german["text"], german["length"], german["limit"]) == ("Notizen zum Brand", 17, 30)
    document = run_tavolan("locale", "add", "--suggest", "--json", cwd=project).json
    assert document["schema"] == "tavolan/suggestions@1"
    assert all(item["serves"] or item["adds"] for item in document["suggestions"]) and document["suggestions"]
