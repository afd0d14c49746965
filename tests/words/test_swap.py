"""Swaps of words: the same as writing them and looking again."""

import pytest

import tavolan
from conftest import run_tavolan
from tavolan.errors import UsageError
from tavolan.project.text_writing import TextWriter
from tavolan.project.texts import Texts
from tavolan.sample.write import write_texts
from tavolan.words.coverage import cover
from tavolan.words.swap import Place, SwapRequest, swap_words


@pytest.fixture
def kilnary_texts(tmp_path):
    write_texts(tmp_path / "kilnary")
    return tmp_path / "kilnary"


def tiers(root):
    opened = tavolan.open_project(root)
    return {(a.store, a.storefront, a.phrase): a.tier for a in cover(opened, list(opened.stores))}


@pytest.mark.parametrize(("out", "into", "locales"), [
    ("recipe", "calculator", []), ("controller", "tracker", ["en-US"]),
    ("", "chart", ["en-US"]), ("raku", "", ["en-US"]),
])  # fmt: skip
def test_a_swap_says_what_writing_it_does(kilnary_texts, out, into, locales):
    opened, before = tavolan.open_project(kilnary_texts), tiers(kilnary_texts)
    found = swap_words(opened, SwapRequest(out, into, tuple(locales), ("keywords",)))
    assert found.texts and not found.places
    TextWriter(Texts(opened)).write(found.texts)
    after = tiers(kilnary_texts)
    assert {(one.store, one.storefront, one.phrase): (one.before, one.after) for one in found.phrases} == {
        key: (before[key], after[key]) for key in before if before[key] != after[key]
    }
    now = tavolan.open_project(kilnary_texts)
    assert found.after == pytest.approx(sum(one.value for one in cover(now, list(now.stores))))


def test_of_what_people_read_the_place_is_shown_and_nothing_is_written(kilnary_texts):
    opened = tavolan.open_project(kilnary_texts)
    found = swap_words(opened, SwapRequest("glazes", "bowl", ("en-US",), ("title",)))
    assert found.texts == [] and found.places == [Place("en-US", "title", "Kilnary: Kiln & [Glaze → bowl] Log")]
    lost = swap_words(opened, SwapRequest("log", "diary", ("en-US",), ("title",)))
    assert not lost.texts and lost.after < lost.before
    short = swap_words(opened, SwapRequest("窯", "電気窯", ("ja",))).places
    assert {one.address for one in short} == {"title", "short"} and all(
        "[窯 → 電気窯]" in one.sentence for one in short
    )
    args = ("terms", "swap", "--without", "log", "--with", "tracker", "--apply")
    done = run_tavolan(*args, cwd=kilnary_texts)
    assert done.code == 2 and "yours to write" in done.err and "[Log → tracker]" in done.out
    assert "Kiln & Glaze Log" in (kilnary_texts / "copy/en-US.toml").read_text("utf-8")


def test_a_sentence_that_a_person_gives_is_written(kilnary_texts):
    args = ("terms", "swap", "--without", "log", "--with", "tracker", "--locale", "en-US", "--field", "title")
    wrong = run_tavolan(*args, "--sentence", "Kilnary: Kiln & Glaze", "--apply", cwd=kilnary_texts)
    assert wrong.code == 2 and "doesn't hold" in wrong.err
    long = run_tavolan(*args, "--sentence", "Kilnary: a tracker of kilns and glazes", "--apply", cwd=kilnary_texts)
    assert long.code == 2 and "Nothing was written" in long.err
    sentence = "Kilnary: Glaze & Kiln Tracker"
    assert run_tavolan(*args, "--sentence", sentence, "--apply", cwd=kilnary_texts).code == 0
    assert tavolan.open_project(kilnary_texts).copy["en-US"].data["title"] == sentence
    with pytest.raises(UsageError, match="for one text"):
        swap_words(tavolan.open_project(kilnary_texts), SwapRequest("kiln", "oven", ("en-US",), (), (), "An oven"))


def test_a_word_goes_only_into_languages_that_it_is_of(kilnary_texts):
    opened = tavolan.open_project(kilnary_texts)
    found = swap_words(opened, SwapRequest("log", "tracker"))
    assert {one.locale for one in found.places} == {"en-US", "en-GB"} and found.left_out == ["es-MX"]
    assert [one.locale for one in swap_words(opened, SwapRequest("log", "tracker", ("es-MX",))).texts] == ["es-MX"]
    with pytest.raises(UsageError, match="none of their language"):
        swap_words(opened, SwapRequest("horno", "tracker"))
    shown = run_tavolan("terms", "swap", "--without", "log", "--with", "tracker", cwd=kilnary_texts)
    assert "Left as they are: es-MX" in shown.out


@pytest.mark.parametrize(("out", "into", "message"), [
    ("", "", "no word to swap"), ("Kiln", "kiln", "both words are the same"), ("", "chart", "nothing says where"),
    ("nonsense", "x", "no text of any locale holds"),
])  # fmt: skip
def test_a_swap_that_makes_no_sense_is_refused(kilnary_texts, out, into, message):
    with pytest.raises(UsageError, match=message):
        swap_words(tavolan.open_project(kilnary_texts), SwapRequest(out, into))
    with pytest.raises(UsageError, match='no field "titel"'):
        swap_words(tavolan.open_project(kilnary_texts), SwapRequest("log", "tracker", (), ("titel",)))


def test_the_command_shows_and_writes(kilnary_texts):
    before = (kilnary_texts / "copy/en-US.toml").read_text("utf-8")
    shown = run_tavolan(
        "terms", "swap", "--without", "controller", "--with", "calculator", "--locale", "en-US", cwd=kilnary_texts
    )
    assert shown.code == 0 and "glaze calculator" in shown.out and "lost" in shown.out
    assert (kilnary_texts / "copy/en-US.toml").read_text("utf-8") == before
    done = run_tavolan(
        "terms",
        "swap",
        "--without",
        "controller",
        "--with",
        "calculator",
        "--locale",
        "en-US",
        "--apply",
        cwd=kilnary_texts,
    )
    assert done.code == 0 and "Written: en-US keywords" in done.err
    assert '"calculator"' in (kilnary_texts / "copy/en-US.toml").read_text("utf-8")
    long = run_tavolan("terms", "swap", "--without", "clay", "--with", "glazing " * 12, "--locale", "en-US", "--apply",
                       cwd=kilnary_texts)  # fmt: skip
    assert long.code == 2 and "Nothing was written" in long.err


def test_a_text_taken_from_another_locale_changes_there_unless_only_this_one_is_named(kilnary_texts):
    path = kilnary_texts / "copy/en-GB.toml"
    path.write_text(
        "\n".join(line for line in path.read_text("utf-8").split("\n") if not line.startswith("title")), "utf-8"
    )
    opened = tavolan.open_project(kilnary_texts)
    assert opened.copy["en-GB"].data["like"] == "en-US" and "title" not in opened.copy["en-GB"].data
    titles = [one.locale for one in swap_words(opened, SwapRequest("log", "tracker", (), ("title",))).places]
    assert titles == ["en-US"]
    (own,) = swap_words(opened, SwapRequest("log", "tracker", ("en-GB",), ("title",))).places
    assert (own.locale, own.sentence) == ("en-GB", "Kilnary: Kiln & Glaze [Log → tracker]")
    both = swap_words(opened, SwapRequest("log", "tracker", ("en-GB", "en-US"), ("title",))).places
    assert [one.locale for one in both] == ["en-US"]
