"""Close locales: what one takes from another, in its own spelling; and texts that are taken away on purpose only."""

import pytest

import tavolan
from conftest import replace, run_tavolan
from tavolan.project.respelling import respelt
from tavolan.project.screens import ScreenIndex


@pytest.mark.parametrize(
    ("text", "words", "english", "other"),
    [
        ("a harbor by Harbor", {"harbor": "harbour", "Harbor": "Harbor"}, True, "a harbour by Harbor"),
        ("Harbors, HARBOR", {"harbor": "harbour"}, True, "Harbours, HARBOUR"),
        ("Harborview and a harbor's edge", {"harbor": "harbour"}, True, "Harborview and a harbour's edge"),
        ("two batteries", {"battery": "cell"}, True, "two cells"),
        ("See https://a.example/color?color=1, color@a.example, {color}", {"color": "colour"}, True,
         "See https://a.example/color?color=1, color@a.example, {color}"),
        ("colors", {"color": "colour"}, False, "colors"),
        ("a b", {"a": "b", "b": "a"}, True, "b a"),
        ("gray [kiln] (x)", {"gray": "grey", "[kiln]": "(oven)"}, True, "grey (oven) (x)"),
    ],
)  # fmt: skip
def test_words_are_respelt_whole_and_in_their_case(text, words, english, other):
    assert respelt(text, words, english) == other


def test_everybody_agrees_on_what_a_close_locale_ships(project):
    replace(project / "tavolan.toml", 'locales = ["en-US", ', 'locales = ["en-US", "en-GB", "de-AT", ')
    (project / "copy/en-GB.toml").write_text('like = "en-US"\n[replace]\nclay = "clays"\npot = "jar"\n')
    (project / "copy/de-AT.toml").write_text('like = "de-DE"\n')
    replace(project / "copy/en-US.toml", "Clay and kiln notes", "Notes on clay")
    opened = tavolan.open_project(project)
    assert opened.value("ios", "en-GB", "subtitle").content == "Notes on clays"
    assert opened.caption("en-GB", opened.shots.shot[0]) == ("All your *jars*", "en-GB")
    assert opened.caption("de-AT", opened.shots.shot[0]) == ("Alle *Töpfe*", "de-AT")
    show = run_tavolan("copy", "show", "en-GB", cwd=project).out
    assert "Notes on clays" in show and "All your *jars*" in show and "Notes on clay " not in show
    assert "Notes on clays" in run_tavolan("copy", "show", "--field", "subtitle", cwd=project).out
    assert "All your *jars*" in run_tavolan("copy", "show", "--field", "captions.home", cwd=project).out
    assert run_tavolan("copy", "show", "en-GB", "subtitle", cwd=project).out == "Notes on clays"
    index = ScreenIndex(opened)
    screen = index.find("home", "de-AT", "phone-6.9")
    assert (screen.locale, screen.exact) == ("de-DE", True)
    findings = [f for f in tavolan.check(opened) if f.locale in ("en-GB", "de-AT") or f.rule == "screen-stands-in"]
    assert [(f.rule, f.locale) for f in findings] == [("locale-not-in-store", "de-AT")]


def test_empty_input_erases_nothing(project):
    before = (project / "copy/de-DE.toml").read_bytes()
    done = run_tavolan("copy", "set", "de-DE", "subtitle", "-", cwd=project)
    assert done.code == 2 and "the text is empty. Nothing was written" in done.err and "--clear" in done.err
    assert run_tavolan("copy", "set", "de-DE", "subtitle", "  ", cwd=project).code == 2
    assert run_tavolan("copy", "set", "de-DE", "subtitle", "x", "--clear", cwd=project).code == 2
    assert (project / "copy/de-DE.toml").read_bytes() == before
    assert run_tavolan("copy", "set", "de-DE", "subtitle", "--clear", cwd=project).code == 0
    assert "subtitle" not in (project / "copy/de-DE.toml").read_text()


def test_what_is_empty_is_taken_from_the_other_locale_too(project):
    replace(project / "tavolan.toml", 'locales = ["en-US", ', 'locales = ["en-US", "en-GB", ')
    (project / "copy/en-GB.toml").write_text('like = "en-US"\ntitle = ""\nkeywords = []\n[captions]\nhome = ""\n')
    opened = tavolan.open_project(project)
    assert opened.value("ios", "en-GB", "title").content == "Potto: en-US"
    assert opened.value("ios", "en-GB", "keywords").content == ["pottery", "glaze"]
    assert opened.caption("en-GB", opened.shots.shot[0]) == ("All your *pots*", "en-GB")
    assert "nothing of its own" in run_tavolan("status", "--translations", cwd=project).out
