"""The mark-up of captions, and what of it comes back from mark-up, from translators and from pictures."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tavolan.project.caption_markup import MarkupError, Run, marked, parse, plain

_ENDS = " ", "a", "*", "_", "\\", "*_", "_*", "é", "窯"


def styles(caption):
    """Return the words of a caption by style: s for slanted, e for emphasised."""
    return [(run.text, ("e" if run.emphasised else "") + ("s" if run.slanted else "")) for run in parse(caption)]


@pytest.mark.parametrize(
    ("caption", "runs"),
    [
        ("Fire _every_ kiln", [("Fire ", ""), ("every", "s"), (" kiln", "")]),
        ("_All of it_.", [("All of it", "s"), (".", "")]),
        ("*Fire _every_* kiln", [("Fire ", "e"), ("every", "es"), (" kiln", "")]),
        ("_*both*_", [("both", "es")]),
        ("**_both_**", [("both", "es")]),
        ("open file_name_x now", [("open file_name_x now", "")]),
        ("a _ b _ c, _open", [("a _ b _ c, _open", "")]),
        (r"\_plain\_ and \*stars\*", [("_plain_ and *stars*", "")]),
        ("__init__", [("__init__", "")]),
        ("_窯_ と", [("窯", "s"), (" と", "")]),
    ],
)
def test_captions_are_read_as_people_type_them(caption, runs):
    assert styles(caption) == runs
    assert plain(caption) == "".join(text for text, _ in runs)


def test_only_a_star_without_its_partner_is_a_fault():
    with pytest.raises(MarkupError, match="character 6"):
        parse("Fire *every kiln")
    assert parse("Fire _every kiln") == [Run("Fire _every kiln")]


@given(st.lists(st.sampled_from(_ENDS), max_size=12).map("".join))
def test_what_is_read_is_written_so_that_it_reads_the_same(caption):
    try:
        runs = parse(caption)
    except MarkupError:
        return
    again = parse(marked(runs))
    assert "".join(run.text for run in again) == "".join(run.text for run in runs)
    assert [run.emphasised for run in again for _ in run.text] == [run.emphasised for run in runs for _ in run.text]


@given(st.lists(st.builds(Run, st.text("ab *_\\.", min_size=1, max_size=4), st.booleans(), st.booleans()), max_size=5))
def test_no_run_loses_its_letters_or_its_emphasis(runs):
    again = parse(marked(runs))
    assert "".join(run.text for run in again) == "".join(run.text for run in runs)
    assert [run.emphasised for run in again for _ in run.text] == [run.emphasised for run in runs for _ in run.text]
