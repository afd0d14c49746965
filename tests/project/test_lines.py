"""Lines of keys in TOML files."""

import tomlkit
from hypothesis import given
from hypothesis import strategies as st

from tavolan.support.toml_lines import key_lines, line_of

SAMPLE = '''\
# comment = 1
title = "a # b"   # tail
[store.ios]
"odd.key" = 1
list = [
  "x = 1",
  "y",
]
after = 2
[[shot]]
name = "one"
[shot.palette]
top = 1
[[shot]]
name = "two"
text = """
inside = "no"
[nor.this]
"""
end = 1
'''


def test_every_kind_of_line_is_found():
    lines = key_lines(SAMPLE)
    assert lines["title",] == 2
    assert lines["store", "ios"] == 3
    assert lines["store", "ios", "odd.key"] == 4
    assert lines["store", "ios", "after"] == 9
    assert lines["shot", 0, "name"] == 11
    assert lines["shot", 0, "palette", "top"] == 13
    assert lines["shot", 1, "name"] == 15
    assert lines["shot", 1, "end"] == 20


def test_text_inside_strings_and_lists_is_no_key():
    keys = {part for path in key_lines(SAMPLE) for part in path}
    assert not keys & {"comment", "inside", "nor", "x"}


def test_an_unknown_key_falls_back_to_its_table():
    assert line_of(SAMPLE, ("shot", 1, "missing", "deeper")) == 14
    assert line_of(SAMPLE, ("nowhere",)) == 1


names = st.text(st.characters(codec="utf-8", exclude_categories=["Cs", "Cc"]), min_size=1, max_size=8)
values = st.one_of(st.integers(), st.text(max_size=20), st.lists(st.text(max_size=5), max_size=3))


@given(st.dictionaries(names, st.one_of(values, st.dictionaries(names, values, max_size=3)), max_size=5))
def test_lines_point_at_their_keys_whatever_the_text(data):
    text = tomlkit.dumps(data)
    raw = text.split("\n")
    for path, line in key_lines(text).items():
        shown = tomlkit.key(path[-1]).as_string()
        assert shown in raw[line - 1] or path[-1] in raw[line - 1]
    assert {path for path in key_lines(text) if len(path) == 1} == {(key,) for key in data}
