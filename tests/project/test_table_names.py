"""A typing error in a table that people write by hand is a fault with its line, in `check` and where it's needed."""

import pytest

import tavolan
from conftest import run_tavolan, write_project
from tavolan.project.datafile import BENCHMARKS, CAMPAIGNS
from tavolan.project.table_names import name_faults

FAULTS = [
    ("2026-05-14,2026-05-01,ios,US,Ads,14", "from: is after to. Write the first day first."),
    ("2026-05-01,2026-05-14,iso,US,Ads,14", 'store: isn\'t a store of this project: "iso". Did you mean "ios"?'),
    ("2026-05-01,2026-05-14,ios,USA,Ads,14", "storefront: isn't a country's code: \"USA\". Write US."),
    ("2026-05-01,2026-05-14,ios,UK,Ads,14", "storefront: isn't a country's code: \"UK\". Write GB."),
    ("2026-05-01,2026-05-14,ios,us,Ads,14", "storefront: isn't a country's code: \"us\". Write US."),
    ("2026-05-01,2026-05-14,ios,Q9,Ads,14", "storefront: isn't a country's code: \"Q9\". Write two capital letters"),
]


@pytest.fixture
def root(tmp_path):
    made = write_project(tmp_path / "potto")
    (made / "data").mkdir()
    (made / "data/metrics.csv").write_text(
        "date,store,storefront,source,impressions,page_views,installs,revenue\n2026-05-01,ios,US,search,9,8,7,\n"
    )
    return made


@pytest.mark.parametrize(("line", "said"), FAULTS)
def test_a_typing_error_in_campaigns_is_said_with_its_line(root, line, said):
    (root / "data/campaigns.csv").write_text(
        f"from,to,store,storefront,what,cost\n2026-04-01,2026-04-02,,,All of them,1\n{line}\n"
    )
    found = [f for f in tavolan.check(tavolan.open_project(root)) if f.rule == "data-table"]
    assert [(f.path, f.line, f.level) for f in found] == [("data/campaigns.csv", 3, "error")]
    done = run_tavolan("results", "moved", "--from", "2026-05-01", "--to", "2026-05-02", cwd=root)
    assert done.code == 3 and f"data/campaigns.csv:3: {said}" in done.err


def test_stores_that_ship_and_empty_cells_are_no_typing_errors(root):
    (root / "data/campaigns.csv").write_text("from,to,store,storefront,what\n2026-05-01,2026-05-02,android,GB,Ads\n")
    (root / "data/benchmarks.csv").write_text("store,category,step,rate,source\nios,,page,0.3,somebody\n")
    project = tavolan.open_project(root)
    assert name_faults(project, CAMPAIGNS) == name_faults(project, BENCHMARKS) == []
    (root / "data/benchmarks.csv").write_text("store,category,step,rate,source\nisos,,page,0.3,somebody\n")
    (fault,) = name_faults(tavolan.open_project(root), BENCHMARKS)
    assert fault.line == 2 and "isos" in fault.message
