"""The data tables of a project: one reader, one judge, each file read once, the same rows from CSV and Parquet."""

import math
import subprocess
import sys
from collections import Counter
from datetime import date

import pyarrow as pa
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from pyarrow import parquet

from tavolan.errors import ProjectError
from tavolan.project import table_writing
from tavolan.project.datafile import DATA_FILES, EXPERIMENTS, LISTINGS, RANKS, REVIEWS
from tavolan.project.table_rules import Fault, fault_of, repeated_rows, row_fault, typed
from tavolan.project.tables import Tables

HEAD = "date,store,app,storefront,phrase,rank,depth\n"


def tables(root, name, text):
    (root / "data").mkdir(parents=True, exist_ok=True)
    (root / "data" / name).write_text(text, "utf-8")
    return Tables(root)


def faults(root, file, name, text):
    return [str(problem) for problem in tables(root, name, text).faults(file)]


def test_a_table_that_is_not_there_has_no_rows_and_no_faults(tmp_path):
    own = Tables(tmp_path)
    for file in DATA_FILES:
        assert not own.has(file) and own.rows(file) == [] and own.faults(file) == [] and own.lines(file) == []
        assert own.table(file).num_rows == 0 and own.texts(file, file.columns[0]) == []
    assert own.journal == [] and own.last_day(RANKS) is None


def test_rows_columns_texts_and_days(tmp_path):
    text = HEAD + '2026-05-02,ios,,US,"kiln, log",4,100\n\n,,Other,US,glaze,,50\n,,,,,,\n'
    own = tables(tmp_path, "ranks.csv", text)
    first, second = own.rows(RANKS)
    assert first.texts["date"] == "2026-05-02" and first.text("phrase") == "kiln, log"
    assert first.numbers == {"rank": 4, "depth": 100} and second.numbers == {"depth": 50} and second.text("date") == ""
    assert own.columns(RANKS).of("date") == [date(2026, 5, 2), None] and own.lines(RANKS) == [2, 4]
    assert own.texts(RANKS, "app") == ["", "Other"] and own.last_day(RANKS) == date(2026, 5, 2)
    assert own.last_day(RANKS, [("app", "in", ["Other"])]) is None
    frame = own.frame(RANKS, [("rank", "<=", 10)])
    assert frame["date"].tolist() == [date(2026, 5, 2).toordinal()] and frame["phrase"].tolist() == ["kiln, log"]
    # What's given out can be changed, and the table stays.
    frame["rank"] = 99
    assert own.frame(RANKS)["rank"].tolist()[0] == 4


SPOILED = [
    ("2026-05-02,ios,,US,kiln,0,\n", 'line 2|rank: can\'t be "0"'),
    ("2026-05-02,ios,,US,kiln,4x,\n", 'rank: can\'t be "4x"'),
    ("2026-02-30,ios,,US,kiln,4,\n", 'date: isn\'t a day: "2026-02-30"'),
    ("2026-05-02,ios,,,kiln,4,\n", "storefront: is empty"),
    ("2026-05-02,ios,,US,kiln,,\n", "rank: is empty, and depth too"),
    ("2026-05-02,ios,,US,kiln,4\n", "has 6 cells where the header has 7"),
    ("2026-05-02,ios,,US,kiln,4,9\n2026-05-02,ios,,US,kiln,5,9\n", "is there twice: 2026-05-02 ios US kiln"),
]


@pytest.mark.parametrize(("rows", "message"), SPOILED)
def test_a_spoiled_row_is_named_with_its_line(tmp_path, rows, message):
    found = faults(tmp_path, RANKS, "ranks.csv", HEAD + rows)
    assert len(found) == 1 and message.split("|")[-1] in found[0] and found[0].startswith("data/ranks.csv:")
    with pytest.raises(ProjectError):
        Tables(tmp_path).frame(RANKS)


def test_a_row_has_one_fault_and_all_rows_are_looked_at(tmp_path):
    rows = ["2026-05-02,ios,,,kiln,x,", "2026-05-02,ios,,US,,4,", "2026-05-03,ios,,US,kiln,4,", "n/a,ios,,US,kiln,4,"]
    found = faults(tmp_path, RANKS, "ranks.csv", HEAD + "\n".join(rows) + "\n")
    assert [each.split(":")[1] for each in found] == ["2", "3", "5"]
    many = faults(tmp_path, RANKS, "ranks.csv", HEAD + "2026-05-02,ios,,US,kiln,x,\n" * 500)
    assert len(many) == 100


def test_columns_that_are_not_known_lack_or_come_twice(tmp_path):
    assert "unknown column" in faults(tmp_path, LISTINGS, "listings.csv", "app,locale,title,subtitel\na,de,b,c\n")[0]
    assert 'no column "title"' in faults(tmp_path, LISTINGS, "listings.csv", "app,locale\na,de\n")[0]
    assert 'two columns "title"' in faults(tmp_path, LISTINGS, "listings.csv", "app,locale,title,title\na,de,b,c\n")[0]


def test_more_hits_than_visitors_is_a_fault(tmp_path):
    text = "experiment,date,variant,visitors,hits\nx,2026-05-01,control,10,11\n"
    assert "hits: is more than visitors" in faults(tmp_path, EXPERIMENTS, "experiments.csv", text)[0]


CELLS = st.sampled_from(
    ["", "4", "4.5", "4,5", " 7 ", "1e2", "0", "-1", "x", "nan", "inf", "2026-05-02", "9" * 400, "½"]
)


@given(cell=CELLS)
def test_a_cell_is_a_value_or_has_a_fault(cell):
    value = typed(RANKS, "rank", cell)
    if isinstance(value, Fault):
        assert value.message and value.remedy
    else:
        assert value is None if not cell else 1 <= value <= 10_000
    assert isinstance(typed(RANKS, "storefront", cell), str if cell else Fault)
    assert fault_of(RANKS, "rank", math.nan) and fault_of(RANKS, "date", date(1969, 12, 31))
    assert not fault_of(RANKS, "rank", None) and not row_fault(RANKS, {"rank": 1.0, "depth": None})


@given(keys=st.lists(st.tuples(st.sampled_from("ab"), st.sampled_from("xy"))))
def test_repeated_rows_are_those_whose_key_came_before(keys):
    columns = list(zip(*keys, strict=True)) or [[], []]
    expected = [(row, keys.index(key)) for row, key in enumerate(keys) if keys.index(key) < row]
    assert [found[:2] for found in repeated_rows(columns)] == expected


PROSE = st.text(st.characters(codec="utf-8", exclude_characters="\r\n\0", exclude_categories=["Cs", "Cc"]), max_size=12)


@settings(max_examples=15)
@given(texts=st.lists(PROSE.map(str.strip).filter(bool), min_size=1, max_size=6), dates=st.booleans())
def test_what_is_written_is_read_again_from_csv_and_from_parquet(tmp_path_factory, texts, dates):
    root = tmp_path_factory.mktemp("written")
    (root / "data").mkdir()
    own = Tables(root)
    rows = {name: ["" for _ in texts] for name in REVIEWS.columns}
    rows |= {"locale": ["en-US"] * len(texts), "text": texts, "stars": [4.0] * len(texts)}
    rows |= {"stars_after": [math.nan] * len(texts), "replied": [0] * len(texts)}
    rows["date"] = [date(2026, 5, 1).toordinal() if dates else 0] * len(texts)
    frame = own.frame(REVIEWS).iloc[:0].reindex(range(len(texts))).assign(**rows)
    own.write(REVIEWS, frame)
    assert own.frame(REVIEWS)["text"].tolist() == texts == Tables(root).frame(REVIEWS)["text"].tolist()
    few, table_writing.MOST_IN_CSV = table_writing.MOST_IN_CSV, 0
    try:
        own.write(REVIEWS, frame)
    finally:
        table_writing.MOST_IN_CSV = few
    assert own.is_large(REVIEWS) and [row.text("text") for row in own.rows(REVIEWS)] == texts
    assert own.frame(REVIEWS)["date"].tolist() == rows["date"] and own.faults(REVIEWS) == []


def test_of_rows_in_both_files_the_one_in_csv_counts(tmp_path):
    own = tables(tmp_path, "ranks.csv", HEAD + "2026-05-02,ios,,US,kiln,4,\n")
    parquet.write_table(own.table(RANKS).set_column(5, "rank", pa.array([9.0])), tmp_path / RANKS.parquet_name)
    both = Tables(tmp_path)
    assert both.frame(RANKS)["rank"].tolist() == [4.0] and both.texts(RANKS, "phrase") == ["kiln"]


def test_each_file_is_read_once_by_a_command(year):
    """Also where many reports ask for it: an opening of a file is seen by an audit hook."""
    script = (
        "import sys\nopened = []\n"
        "sys.addaudithook(lambda event, args: opened.append(str(args[0])) if event == 'open' else None)\n"
        "from tavolan.cli.main import program\n"
        "for line in ('check', 'next --json', 'results report --json'):\n"
        "    words = [*line.split(), '--project', sys.argv[1]]\n"
        "    try: program(words[0])(words)\n"
        "    except SystemExit: pass\n"
        "    sys.stderr.write('\\nOPENED ' + '|'.join(opened) + '\\n')\n"
        "    opened.clear()"
    )
    done = subprocess.run([sys.executable, "-c", script, year], capture_output=True, text=True, check=False)
    lines = [line for line in done.stderr.splitlines() if line.startswith("OPENED ")]
    assert len(lines) == 3, done.stderr[-2000:]
    for line in lines:
        names = Counter(path.rpartition("/")[2] for path in line.removeprefix("OPENED ").split("|"))
        assert [names[name] for name in ("metrics.csv", "ranks.csv", "listings.csv", "suggestions.csv")] == [1] * 4, (
            line
        )
