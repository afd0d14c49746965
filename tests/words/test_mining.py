"""Candidates against a written-out reference: phrases of one to three words, by the texts that hold them."""

import csv
import json
from collections import Counter
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

import tavolan
from conftest import examples, run_tavolan
from tavolan.languages.tags import language_of
from tavolan.words import split
from tavolan.words.corpus import corpus_of
from tavolan.words.coverage import cover, title_words
from tavolan.words.function_words import function_words
from tavolan.words.mine import log_likelihoods, mine

PIECES = st.sampled_from([
    "kiln", "kilns", "log", "glaze", "the", "of", "and", "potto", "7", "x", "x-ray", "c++", "wi-fi", "don't", "l'argile", "d’émaux", "café",
    "cafe\u0301", "İşık", "ışık", "陶芸記録", "記録ノート", "焼成", "การเผา", "3.5", ".", ",", "!", "…", "(", "\n", "：", "naïve", "ﬁring",
])  # fmt: skip


def candidates(texts: list[str], locale: str, least: int) -> dict[str, int]:
    """The phrases of some texts, and how many of those hold each: written for reading, not for speed."""
    match = split.language_matching(locale)
    fillers = function_words(language_of(locale))
    held: dict[str, set[int]] = {}
    for number, text in enumerate(texts):
        for clause in split.clauses(text):
            words = split.units(clause, match)
            for size in (1, 2, 3):
                for part in (words[at : at + size] for at in range(len(words) - size + 1)):
                    edge = part[0] in fillers or part[-1] in fillers
                    if (
                        not edge
                        and not any(word == "potto" or word.isdigit() for word in part)
                        and len("".join(part)) > 1
                    ):
                        held.setdefault(" ".join(split.key(word, match) for word in part), set()).add(number)
    held = {form: there for form, there in held.items() if len(there) >= least}
    parts = {
        short
        for long in held
        for short in held
        if short != long and f" {short} " in f" {long} " and held[short] == held[long]
    }
    return {form: len(there) for form, there in held.items() if form not in parts}


@examples(25)
@given(
    texts=st.lists(st.lists(PIECES, min_size=1, max_size=8).map(" ".join).filter(str.strip), min_size=1, max_size=12),
    locale=st.sampled_from(["en-US", "de-DE", "ja", "fr-FR", "tr-TR", "th"]),
    least=st.integers(1, 3),
)
def test_candidates_and_their_texts_are_those_of_the_reference(
    project: Path, texts: list[str], locale: str, least: int
) -> None:
    config = (project / "tavolan.toml").read_text()
    if f'"{locale}"' not in config:
        (project / "tavolan.toml").write_text(config.replace('"ar-SA"', f'"ar-SA", "{locale}"'))
    if locale != "en-US" and locale != "de-DE":
        (project / f"copy/{locale}.toml").write_text("")
    for tag in ("en-US", "de-DE"):
        path = project / f"copy/{tag}.toml"
        path.write_text("\n".join(line for line in path.read_text().split("\n") if not line.startswith("description")))
    (project / "data").mkdir(exist_ok=True)
    with (project / "data/reviews.csv").open("w", encoding="utf-8", newline="") as file:
        csv.writer(file).writerows([["locale", "stars", "text"], *([locale, 3, text] for text in texts)])
    found = mine(tavolan.open_project(project), locale, frozenset(), least)
    match = split.language_matching(locale)
    forms = {
        " ".join(split.key(word, match) for word in split.units(one.phrase, match)): one.texts for one in found.found
    }
    assert forms == candidates([text.strip() for text in texts], locale, least) and found.total == len(forms)


@given(
    st.lists(st.lists(PIECES, max_size=8).map(" ".join), max_size=10),
    st.sampled_from(["en-US", "fr-FR", "ja", "de-DE"]),
)
def test_a_corpus_has_the_words_of_its_texts(texts: list[str], locale: str) -> None:
    match = split.language_matching(locale)
    corpus = corpus_of(texts, match)
    found: dict[int, list[str]] = {number: [] for number in range(len(texts))}
    for word, text in zip(corpus.words.tolist(), corpus.texts.tolist(), strict=True):
        if word:
            found[text].append(corpus.spelled[word])
    assert found == {n: [w for c in split.clauses(text) for w in split.units(c, match)] for n, text in enumerate(texts)}


def test_many_texts_are_cut_by_processes_as_few_are(project: Path) -> None:
    texts = [f"the kiln log {number % 7} is great, wi-fi too" for number in range(20_001)]
    match = split.language_matching("en-US")
    whole, parts = corpus_of(texts, match), [corpus_of(texts[at : at + 19_000], match) for at in (0, 19_000)]
    assert whole.count == len(texts) == sum(part.count for part in parts)
    counts = Counter(whole.spelled[word] for word in whole.words.tolist())
    assert counts["kiln"] == 20_001 and counts["wi-fi"] == 20_001
    assert Counter(part.spelled[word] for part in parts for word in part.words.tolist()) == counts


def test_a_fault_in_a_long_file_is_told_with_its_line(project: Path) -> None:
    (project / "data").mkdir()
    rows = ["locale,stars,text", *["en-US,5,kiln"] * 500, "en-US,9,kiln", *["en-US,5,log"] * 500, "en-US,x,kiln"]
    (project / "data/reviews.csv").write_text("\n".join(rows))
    done = run_tavolan("terms", "mine", "--locale", "en-US", cwd=project)
    assert done.code == 3 and "reviews.csv:502: stars" in done.err and "reviews.csv:1003: stars" in done.err
    (project / "data/reviews.csv").write_bytes("\n".join(rows[:300]).encode() + b"\nen-US,5,\xff")
    done = run_tavolan("terms", "mine", "--locale", "en-US", cwd=project)
    assert done.code == 3 and "reviews.csv:301: isn't UTF-8" in done.err


def g2(a, b, size_a, size_b):
    return float(log_likelihoods(np.array([a]), np.array([b]), size_a, size_b)[0])


def test_log_likelihood_is_a_number_for_every_count() -> None:
    assert g2(0, 5, 0, 10) == pytest.approx(0)
    assert g2(5, 0, 10, 0) == pytest.approx(0)


def test_what_is_mined_is_shown_as_it_is_typed(project):
    texts = ["Die Größe der Straße stimmt", "GRÖSSE und Größe, wi-fi", "Die Größe passt"]
    (project / "data").mkdir()
    rows = "".join(f"de-DE,5,{json.dumps(text, ensure_ascii=False)}\n" for text in texts)
    (project / "data/reviews.csv").write_text(f"locale,stars,text\n{rows}", "utf-8")
    (project / "copy/de-DE.toml").write_text('title = "Potto Größe"\n', "utf-8")
    (project / "terms/de-DE.csv").write_text("phrase\ngröße\n", "utf-8")
    opened = tavolan.open_project(project)
    # GRÖSSE, größe and grösse are one word to search.
    found = {one.phrase: one.texts for one in mine(opened, "de-DE").found}
    assert found["größe"] == 3 and not any("grösse" in phrase for phrase in found)
    served = title_words(opened, opened.stores["ios"], "de-DE", cover(opened, ["ios"], ["DE"]))
    assert [answer.phrase for answer in served["größe"]] == ["größe"] and "grösse" not in served
