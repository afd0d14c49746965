"""Exports come in whatever their columns, dates and numbers look like; nothing is doubled, nothing lost."""

import random
import shutil
from datetime import date
from types import SimpleNamespace

import openpyxl
import pytest
from hypothesis import given
from hypothesis import strategies as st

import tavolan
from conftest import replace, run_tavolan
from tavolan.errors import ProjectError, UsageError
from tavolan.imports.columns import column_map, mapped
from tavolan.imports.days import day_reader
from tavolan.imports.merging import write_merged
from tavolan.imports.taking import Given
from tavolan.project import table_writing
from tavolan.project.datafile import METRICS, RANKS
from tavolan.project.tables import Tables
from tavolan.results.figures import Figures
from tavolan.results.importing import ORDERS, merged_results, read_export
from tavolan.results.moved import what_moved
from tavolan.results.scope import Scope


def take(project, path, **values):
    opened = tavolan.open_project(project)
    kind, columns, order = values.pop("kind", None), values.pop("columns", {}), values.pop("order", None)
    done = read_export(opened, path, Given(columns, {"store": "ios", **values}, order), kind)
    (after,) = merged_results(opened, [done])
    write_merged(opened, after, ORDERS[done.file.name])
    return SimpleNamespace(**{**vars(done), **vars(after)}, not_kept=done.not_kept)


def file_of(folder, text, name="export.csv"):
    path = folder / name
    path.write_text(text, "utf-8")
    return path


def metric_rows(project):
    frame = Tables(project).frame(METRICS)
    return [(date.fromordinal(row.date).isoformat(), str(row.storefront), str(row.source), row.impressions, row.installs)
            for row in frame.itertuples()]  # fmt: skip


def test_columns_dates_and_numbers_of_another_spelling(project, tmp_path):
    export = file_of(
        tmp_path,
        "Day;Territory;Source Type;Impressions;Product Page Views;First-Time Downloads;App Version\n"
        "31.03.2026;Germany;Store Search;1.204;310;1.500;2.1\n"
        "01.04.2026;usa;Web Referrer;9;;<5;2.1\n"
        "Total;;;1.213;310;1505;\n",
    )
    done = take(project, export)
    assert done.file is METRICS and done.not_kept == ["App Version"] and done.added == 2
    assert any("totals left out" in repair for repair in done.repairs)
    assert "source: Store Search → search, Web Referrer → referral" in done.repairs
    assert "storefront: Germany → DE, usa → US" in done.repairs
    found = metric_rows(project)
    assert found[0] == ("2026-03-31", "DE", "search", 1204, 1500)
    assert found[1][:4] == ("2026-04-01", "US", "referral", 9) and found[1][4] != found[1][4]


def test_the_same_file_twice_changes_nothing_and_a_newer_one_updates(project, tmp_path):
    text = "date,country,source,impressions,installs\n2026-05-01,US,search,100,7\n2026-05-02,US,search,90,6\n"
    assert take(project, file_of(tmp_path, text)).added == 2
    before = (project / "data/metrics.csv").read_bytes()
    again = take(project, file_of(tmp_path, text))
    assert (again.added, again.changed, again.same) == (0, 0, 2)
    assert (project / "data/metrics.csv").read_bytes() == before
    newer = take(project, file_of(tmp_path, text.replace("90,6", "90,8")))
    assert (newer.changed, newer.same) == (1, 1) and metric_rows(project)[1][4] == 8


def test_what_a_file_doesnt_know_of_a_row_stays(project, tmp_path):
    take(project, file_of(tmp_path, "date,country,source,impressions,installs\n2026-05-01,US,search,100,7\n"))
    take(project, file_of(tmp_path, "date,country,source,impressions\n2026-05-01,US,search,120\n"))
    assert metric_rows(project) == [("2026-05-01", "US", "search", 120, 7)]


def test_lines_that_part_a_day_are_added_up_and_equal_lines_are_not(project, tmp_path):
    parted = "date,country,source,impressions,installs,device\n2026-05-01,US,search,60,4,phone\n2026-05-01,US,search,40,,tablet\n"  # fmt: skip
    done = take(project, file_of(tmp_path, parted))
    assert "several lines of one day by device: added up" in done.repairs
    (row,) = metric_rows(project)
    # A part of the installs was withheld, so that their sum isn't known.
    assert row[3] == 100 and row[4] != row[4]
    twice = "date,country,source,installs\n2026-05-02,US,search,4\n2026-05-02,US,search,4\n"
    done = take(project, file_of(tmp_path, twice))
    assert "1 lines that were there twice left out" in done.repairs and metric_rows(project)[1][4] == 4


def test_what_no_column_says_has_to_be_said(project, tmp_path):
    export = file_of(tmp_path, "date,installs\n2026-05-01,7\n")
    with pytest.raises(UsageError, match="no column looks like storefront"):
        take(project, export)
    with pytest.raises(UsageError, match="no column looks like source"):
        take(project, export, storefront="US")
    take(project, export, storefront="US", source="all")
    assert metric_rows(project)[0][:3] == ("2026-05-01", "US", "all")
    with pytest.raises(UsageError, match="neither metrics nor ranks"):
        take(project, file_of(tmp_path, "colour,size\nred,4\n"))
    mapped = take(project, file_of(tmp_path, "when,got\n2026-05-02,9\n"), storefront="US", source="search",
                  columns={"when": "date", "got": "installs"})  # fmt: skip
    assert mapped.added == 1
    with pytest.raises(UsageError, match='no column "wen"'):
        take(project, export, columns={"wen": "date"})


@pytest.mark.parametrize(
    ("cell", "message"),
    [("yesterday,US,search,4", '"yesterday" is no day'), ("2026-05-01,Atlantis,search,4", '"Atlantis" is no country'),
     ("2026-05-01,US,search,many", '"many" is no number'), ("2026-02-30,US,search,4", "day is out of range")],
)  # fmt: skip
def test_cells_that_cant_be_read_are_named_and_nothing_is_written(project, tmp_path, cell, message):
    with pytest.raises(ProjectError) as caught:
        take(project, file_of(tmp_path, f"date,country,source,installs\n2026-05-01,US,browse,4\n{cell}\n"))
    assert message in str(caught.value) and ":3: " in str(caught.value)
    assert not (project / "data/metrics.csv").exists()


def test_the_order_of_day_and_month_is_settled_or_asked_for():
    assert day_reader(["13/02/2026", "01/02/2026"], None)("01/02/2026") == date(2026, 2, 1).toordinal()
    assert day_reader(["02/13/2026"], None)("02/01/2026") == date(2026, 2, 1).toordinal()
    assert day_reader(["01/02/2026"], "mdy")("01/02/2026") == date(2026, 1, 2).toordinal()
    with pytest.raises(UsageError, match="in 1/2, 1 may be the day or the month"):
        day_reader(["01/02/2026"], None)


@given(st.dates(date(1999, 1, 1), date(2099, 12, 31)))
def test_a_day_is_the_same_in_all_spellings(day):
    spellings = ["%Y-%m-%d", "%Y/%m/%d", "%Y%m%d", "%d.%m.%Y", "%d %b %Y", "%B %d, %Y", "%Y-%m-%dT23:30:00-08:00", "%Y-%m-%d 00:00:00"]  # fmt: skip
    for spelling in spellings:
        assert day_reader([], None)(day.strftime(spelling)) == day.toordinal()


def test_ranks_say_what_was_looked_for_and_not_found(project, tmp_path):
    text = "Keyword,Country,Date,Position,App\nkiln log,US,2026-05-01,4,Potto\nglaze,US,2026-05-01,>200,Potto\nglaze,US,2026-05-01,#2,Rival\n"
    done = take(project, file_of(tmp_path, text))
    assert done.file is RANKS and done.added == 3
    frame = Tables(project).frame(RANKS).astype({"app": str, "phrase": str}).set_index(["app", "phrase"])
    assert frame.loc[("", "kiln log"), "rank"] == 4 and frame.loc[("Rival", "glaze"), "rank"] == 2
    unfound = frame.loc[("", "glaze")]
    assert unfound["rank"] != unfound["rank"] and unfound["depth"] == 200
    with pytest.raises(UsageError, match="nothing says how far was looked"):
        take(project, file_of(tmp_path, "keyword,country,date,rank\nclay,US,2026-05-01,-\n"))
    take(project, file_of(tmp_path, "keyword,country,date,rank\nclay,US,2026-05-01,-\n"), depth="100")


def test_a_workbook_is_read_like_a_csv(project, tmp_path):
    book = openpyxl.Workbook()
    book.active.append(["Date", "Country", "Source", "Installs"])
    book.active.append([date(2026, 5, 1), "US", "search", 7])
    book.save(tmp_path / "export.xlsx")
    take(project, tmp_path / "export.xlsx")
    assert metric_rows(project)[0][:3] == ("2026-05-01", "US", "search")


def test_many_rows_go_to_parquet_and_count_the_same(project, tmp_path, monkeypatch):
    dice = random.Random(4)
    rows = [f"2026-05-{day:02d},US,phrase {n},{dice.randint(1, 90)}" for day in range(1, 29) for n in range(20)]
    export = file_of(tmp_path, "date,country,keyword,rank\n" + "\n".join(rows) + "\n")
    shutil.copytree(project, tmp_path / "small")
    take(tmp_path / "small", export)
    monkeypatch.setattr(table_writing, "MOST_IN_CSV", 100)
    take(project, export)
    assert (project / RANKS.parquet_name).exists() and len((project / "data/ranks.csv").read_text().splitlines()) == 1
    small, large = (
        what_moved(Figures(tavolan.open_project(root)), Scope(days=7)) for root in (tmp_path / "small", project)
    )
    assert sorted(small.not_targeted, key=str) == sorted(large.not_targeted, key=str) and small.not_targeted
    (project / RANKS.parquet_name).write_bytes(b"PAR1 nonsense PAR1")
    with pytest.raises(ProjectError, match="can't be read as Parquet"):
        what_moved(Figures(tavolan.open_project(project)), Scope(days=7))


def test_the_program_imports_and_shows_the_columns(project, tmp_path):
    export = file_of(tmp_path, "Day,Country,Channel,Downloads,Device\n2026-05-01,US,organic search,7,phone\n")
    tried = run_tavolan("import", export, "--dry-run", "--project", project)
    assert (
        tried.code == 0
        and "date ← Day" in tried.out
        and "1 row would be new" in tried.out
        and "no place for: Device" in tried.out
    )
    assert not (project / "data/metrics.csv").exists()
    done = run_tavolan("import", export, "--project", project)
    assert "1 row new, 0 changed, 0 there already" in done.out and metric_rows(project)
    assert run_tavolan("import", "--project", project).code == 2
    assert run_tavolan("import", export, "--as", "stars", "--project", project).code == 2
    assert run_tavolan("import", tmp_path / "nothing.csv", "--project", project).code == 3


def test_columns_by_hand_come_one_by_one_or_with_commas(tmp_path):
    assert column_map(["Day=date", "Where=storefront,How=source"]) == {
        "Day": "date", "Where": "storefront", "How": "source",
    }  # fmt: skip
    assert column_map(["Installs, all=installs,Day=date"]) == {"Installs, all": "installs", "Day": "date"}
    assert column_map(["a=b=installs"]) == {"a=b": "installs"}
    for wrong, said in (
        (["x"], "isn't THEIRS=ours"),
        (["=date"], "isn't THEIRS=ours"),
        (["Day=date", "x"], "isn't THEIRS=ours"),
        (["Day=date", "Tag=date"], "are both given for date"),
    ):
        with pytest.raises(UsageError, match=said):
            column_map(wrong)
    with pytest.raises(UsageError) as turned:
        mapped("metrics", ["date", "installs"], ["Tag", "Nb"], {"date": "Tag"})
    assert turned.value.remedy == 'Write it the other way round: "Tag=date".'


@pytest.mark.parametrize(
    ("cells", "said"),
    [
        (
            "2026-11-02 - 2026-11-08,US,search,900,90,9",
            '"2026-11-02 - 2026-11-08" is a period: one row a day is needed',
        ),
        ("02/11/2026 to 08/11/2026,US,search,900,90,9", "is a period: one row a day is needed"),
        ("2026-11-02,US,search,900,3.4%,9", '"3.4%" is no count'),
        ("2026-11-02,US,search,1.2K,90,9", '"1.2K" is no count'),
        ("2026-11-02,US,search,900,90,-3", '"-3" is no count'),
        ("2026-11-02,US,search,900.5,90,9", '"900.5" is no count'),
        ("2026-11,US,search,900,90,9", '"2026-11" is no day'),
    ],
)
def test_what_is_no_day_or_no_count_is_refused_and_nothing_written(project, tmp_path, cells, said):
    export = file_of(tmp_path, f"Date,Country,Source,Impressions,Page views,Installs\n{cells}\n")
    with pytest.raises(ProjectError) as caught:
        take(project, export)
    assert ":2: " in str(caught.value) and said in str(caught.value)
    assert not (project / "data/metrics.csv").exists()


def test_lines_that_sum_up_sources_are_left_out_beside_their_parts(project, tmp_path):
    head = "Date,Country,Source,Installs\n"
    parts = "2026-11-02,US,search,9\n2026-11-02,US,browse,1\n"
    done = take(project, file_of(tmp_path, f"{head}{parts}2026-11-02,US,Total,10\n2026-11-02,DE,Total,4\n"))
    assert "1 line of totals of all sources left out" in done.repairs
    assert [(row[1], row[2], row[4]) for row in metric_rows(project)] == [
        ("DE", "all", 4), ("US", "browse", 1), ("US", "search", 9),
    ]  # fmt: skip
    # So are those of a later file that has no parts.
    later = take(project, file_of(tmp_path, f"{head}2026-11-02,US,Total,10\n2026-11-03,US,Total,7\n"))
    assert later.added == 1 and [row[2] for row in metric_rows(project)] == ["all", "browse", "search", "all"]


def test_names_of_other_languages_and_consoles_are_known(project, tmp_path):
    export = file_of(
        tmp_path,
        "Day,Territory,Source Type,Impressions (Unique Devices),Product Page Views,Total Downloads,Proceeds\n"
        '11/11/2026,Deutschland,Some Store Search,null,—,14,"$1,234.50"\n'
        "11/11/2026,日本,Some Store Ads Search,NaN,n/a,3,€2\n11/11/2026,Espagne,Web Referrer,-,,2,\n",
    )
    assert take(project, export).not_kept == []
    assert [(row[0], row[1], row[2], row[4]) for row in metric_rows(project)] == [
        ("2026-11-11", "DE", "search", 14), ("2026-11-11", "ES", "referral", 2), ("2026-11-11", "JP", "paid", 3),
    ]  # fmt: skip
    assert Tables(project).frame(METRICS)["revenue"].tolist()[0] == 1234.5


def lines_of(*lines):
    return "date,country,source,installs\n" + "".join(f"{line}\n" for line in lines)


PARTS = lines_of(*(f"2026-11-0{day},US,{source},{number + day}" for day in range(1, 9)
                   for source, number in (("search", 40), ("browse", 10))))  # fmt: skip
WHOLE = lines_of(*(f"2026-11-0{day},US,NAME,{50 + 2 * day}" for day in range(1, 9)))


def test_figures_that_are_there_under_other_sources_are_refused_or_replaced(project, tmp_path):
    whole = file_of(tmp_path, WHOLE.replace("NAME", "organic"))
    parts = file_of(tmp_path, PARTS, "parts.csv")
    assert run_tavolan("import", "--store", "ios", whole, cwd=project).code == 0
    before = (project / "data/metrics.csv").read_bytes()
    refused = run_tavolan("import", "--store", "ios", parts, cwd=project)
    assert refused.code == 2 and "8 days and places have the same figures already, as organic" in refused.err
    # Two files of one run are compared as well, and neither is written.
    (project / "data/metrics.csv").unlink()
    refused = run_tavolan("import", "--store", "ios", whole, parts, cwd=project)
    assert refused.code == 2 and not (project / "data/metrics.csv").exists()
    (project / "data/metrics.csv").write_bytes(before)
    done = run_tavolan("import", "--store", "ios", parts, "--replace", cwd=project)
    assert done.code == 0 and "8 lines of organic replaced by browse, search" in done.out
    assert "browse: installs 116" in done.out and "search: installs 356" in done.out
    assert {row[2] for row in metric_rows(project)} == {"search", "browse"} and len(metric_rows(project)) == 16


def test_sums_of_all_sources_go_where_the_parts_come_in(project, tmp_path):
    take(project, file_of(tmp_path, WHOLE.replace("NAME", "Total")))
    done = take(project, file_of(tmp_path, PARTS))
    assert "8 lines of all sources, now known in parts, left out" in done.repairs
    assert {row[2] for row in metric_rows(project)} == {"search", "browse"}


def test_another_source_with_other_figures_comes_in_beside(project, tmp_path):
    take(project, file_of(tmp_path, PARTS))
    more = lines_of(*(f"2026-11-0{day},US,referral,{day}" for day in range(1, 9)))
    assert take(project, file_of(tmp_path, more)).added == 8 and len(metric_rows(project)) == 24


def test_the_same_file_for_another_store_is_a_mistake(project, tmp_path):
    replace(project / "tavolan.toml", "[store.ios]", "[store.android]\n[store.ios]")
    take(project, file_of(tmp_path, PARTS))
    with pytest.raises(UsageError, match="already, number by number, for ios"):
        take(project, file_of(tmp_path, PARTS), store="android")
    take(project, file_of(tmp_path, PARTS.replace(",4", ",5").replace(",1", ",2")), store="android")


def test_days_of_a_spreadsheet_and_titles_keep_the_lines_of_faults(project, tmp_path):
    text = "Installs\n\ndate,country,source,installs\n46327,US,search,4\n46328,US,search,many\n"
    with pytest.raises(ProjectError) as caught:
        take(project, file_of(tmp_path, text))
    assert ":5: installs" in str(caught.value)
    take(project, file_of(tmp_path, text.replace("many", "5")))
    assert [row[0] for row in metric_rows(project)] == ["2026-11-01", "2026-11-02"]
