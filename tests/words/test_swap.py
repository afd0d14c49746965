"""Swaps of words: the same as writing them and looking again."""

import pytest

import tavolan
from conftest import run_tavolan
from tavolan.errors import UsageError
from tavolan.project.text_writing import TextWriter
from tavolan.project.texts import Texts
from tavolan.sample.write import write_texts
from tavolan.words.coverage import cover
from tavolan.words.swap import swap_words


@pytest.fixture
def kilnary_texts(tmp_path):
    write_texts(tmp_path / "kilnary")
    return tmp_path / "kilnary"


def tiers(root):
    opened = tavolan.open_project(root)
    return {(a.store, a.storefront, a.phrase): a.tier for a in cover(opened, list(opened.stores))}


@pytest.mark.parametrize(("out", "into", "locales"), [
    ("recipe", "calculator", []), ("log", "tracker", ["en-US"]), ("Kiln", "Ofen", ["en-US", "de-DE"]),
    ("", "chart", ["en-US"]), ("raku", "", ["en-US"]), ("窯", "電気窯", []), ("釉薬", "", ["ja"]),
])  # fmt: skip
def test_a_swap_says_what_writing_it_does(kilnary_texts, out, into, locales):
    opened, before = tavolan.open_project(kilnary_texts), tiers(kilnary_texts)
    found = swap_words(opened, out, into, locales)
    assert found.texts
    TextWriter(Texts(opened)).write(found.texts)
    after = tiers(kilnary_texts)
    assert {(one.store, one.storefront, one.phrase): (one.before, one.after) for one in found.phrases} == {
        key: (before[key], after[key]) for key in before if before[key] != after[key]
    }
    now = tavolan.open_project(kilnary_texts)
    assert found.after == pytest.approx(sum(one.value for one in cover(now, list(now.stores))))


def test_words_are_swapped_as_search_sees_them(kilnary_texts):
    opened = tavolan.open_project(kilnary_texts)
    title = swap_words(opened, "glazes", "bowl", ["en-US"], ["title"]).texts[0]
    assert (title.before, title.after) == ("Kilnary: Kiln & Glaze Log", "Kilnary: Kiln & Bowl Log")
    short = swap_words(opened, "窯", "電気窯", ["ja"]).texts
    assert {one.address for one in short} == {"title", "short"} and all("電気電気" not in one.after for one in short)


@pytest.mark.parametrize(("out", "into", "message"), [
    ("", "", "no word to swap"), ("Kiln", "kiln", "both words are the same"), ("", "chart", "nothing says where"),
    ("nonsense", "x", "no text of any locale holds"),
])  # fmt: skip
def test_a_swap_that_makes_no_sense_is_refused(kilnary_texts, out, into, message):
    with pytest.raises(UsageError, match=message):
        swap_words(tavolan.open_project(kilnary_texts), out, into)
    with pytest.raises(UsageError, match='no field "titel"'):
        swap_words(tavolan.open_project(kilnary_texts), "log", "tracker", [], ["titel"])


def test_the_command_shows_and_writes(kilnary_texts):
    before = (kilnary_texts / "copy/en-US.toml").read_text("utf-8")
    shown = run_tavolan(
        "terms", "swap", "--out", "controller", "--in", "calculator", "--locale", "en-US", cwd=kilnary_texts
    )
    assert shown.code == 0 and "glaze calculator" in shown.out and "lost" in shown.out
    assert (kilnary_texts / "copy/en-US.toml").read_text("utf-8") == before
    done = run_tavolan(
        "terms", "swap", "--out", "controller", "--in", "calculator", "--locale", "en-US", "--apply", cwd=kilnary_texts
    )
    assert done.code == 0 and "Written: en-US keywords" in done.err
    assert '"calculator"' in (kilnary_texts / "copy/en-US.toml").read_text("utf-8")
    long = run_tavolan("terms", "swap", "--out", "glaze", "--in", "glazing techniques", "--locale", "en-US", "--apply",
                       cwd=kilnary_texts)  # fmt: skip
    assert long.code == 2 and "Nothing was written" in long.err


def test_a_text_taken_from_another_locale_changes_there_unless_only_this_one_is_named(kilnary_texts):
    path = kilnary_texts / "copy/en-GB.toml"
    path.write_text(
        "\n".join(line for line in path.read_text("utf-8").split("\n") if not line.startswith("title")), "utf-8"
    )
    opened = tavolan.open_project(kilnary_texts)
    assert opened.copy["en-GB"].data["like"] == "en-US" and "title" not in opened.copy["en-GB"].data
    titles = [one.locale for one in swap_words(opened, "log", "tracker", [], ["title"]).texts]
    assert titles == ["en-US"]
    (own,) = swap_words(opened, "log", "tracker", ["en-GB"], ["title"]).texts
    assert (own.locale, own.before, own.after) == (
        "en-GB",
        "Kilnary: Kiln & Glaze Log",
        "Kilnary: Kiln & Glaze Tracker",
    )
    both = swap_words(opened, "log", "tracker", ["en-GB", "en-US"], ["title"]).texts
    assert [one.locale for one in both] == ["en-US"]
