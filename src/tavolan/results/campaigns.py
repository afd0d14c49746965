"""Write a campaign down: advertising whose days are looked at apart, or named beside what's measured."""

import csv
import io

from tavolan.errors import UsageError
from tavolan.languages.countries import country_code
from tavolan.project.datafile import CAMPAIGNS
from tavolan.project.model import Project
from tavolan.results.periods import Campaign
from tavolan.support.csvfile import guarded, read_csv
from tavolan.support.files import read_text, write_text
from tavolan.support.transaction import changing


def add_campaign(project: Project, campaign: Campaign) -> None:
    """Add a line to `data/campaigns.csv`; what's written there stays as it is.

    Raises UsageError for one without a name, one that ends before it begins, and one in a place that isn't known.
    """
    if not campaign.what.strip():
        raise UsageError("a campaign needs a name", "Say what was advertised, and where.")
    if campaign.period.last < campaign.period.first:
        raise UsageError("the campaign ends before it begins", "Give its first day, then its last one.")
    if campaign.store:
        project.pick("--store", [campaign.store], list(project.stores))
    if campaign.storefront and country_code(campaign.storefront) != campaign.storefront:
        meant = country_code(campaign.storefront)
        remedy = f'Did you mean "{meant}"?' if meant else "Write the two letters of ISO 3166, as in DE."
        raise UsageError(f'"{campaign.storefront}" is no country\'s code', remedy, option="--storefront")
    path = project.root / CAMPAIGNS.name
    before = read_text(path, CAMPAIGNS.name) if path.exists() else ",".join(CAMPAIGNS.columns) + "\n"
    table = read_csv(path, CAMPAIGNS.name) if path.exists() else None
    head = table.rows[0][1] if table and table.rows else list(CAMPAIGNS.columns)
    cells = {
        "from": campaign.period.first.isoformat(),
        "to": campaign.period.last.isoformat(),
        "store": campaign.store,
        "storefront": campaign.storefront,
        "what": guarded(campaign.what.strip()),
        "cost": f"{campaign.cost:g}" if campaign.cost else "",
    }
    line = io.StringIO(newline="")
    writer = csv.writer(line, delimiter=table.separator if table else ",", lineterminator="\n")
    writer.writerow([cells.get(name.strip().lower(), "") for name in head])
    with changing(project.root):
        write_text(path, f"{before.rstrip()}\n{line.getvalue()}")
