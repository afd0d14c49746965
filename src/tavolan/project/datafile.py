"""What the tables under `data/` must look like: their columns, numbers, days and keys."""

from dataclasses import dataclass
from pathlib import Path


@dataclass(frozen=True)
class DataFile:
    """What a data file must look like. `numbers` maps columns to their least and most allowed values.

    `dates` are columns of days as 2026-11-30; of `either`, one at least is filled in; `key` are the columns that no two
    rows share; `prose` are columns of running text; of each pair of `at_most` the first number or day is at most the
    second. A file that's still called `old_name` is read on.
    """

    name: str
    columns: tuple[str, ...]
    required: tuple[str, ...]
    numbers: dict[str, tuple[float, float]]
    dates: tuple[str, ...] = ()
    either: tuple[str, ...] = ()
    key: tuple[str, ...] = ()
    prose: tuple[str, ...] = ()
    at_most: tuple[tuple[str, str], ...] = ()
    old_name: str = ""

    @property
    def parquet_name(self) -> str:
        """Where the rows are when they are many."""
        return f"{self.name.removesuffix('.csv')}.parquet"

    def path_in(self, root: Path) -> Path:
        """Return where the file is in a project: under its old name when it's only there."""
        path = root / self.name
        return root / self.old_name if self.old_name and not path.exists() and (root / self.old_name).exists() else path


# Sums of such figures, and their squares, can still be counted with.
ANY = 1e12
# A reply is ours; `stars_after` are those that its reader gave later. `featured` is `yes` or empty.
REVIEWS = DataFile(
    "data/reviews.csv",
    (
        "id",
        "store",
        "storefront",
        "locale",
        "date",
        "version",
        "stars",
        "text",
        "featured",
        "reply",
        "replied",
        "stars_after",
    ),
    ("locale", "stars", "text"),
    {"stars": (1, 5), "stars_after": (1, 5)},
    dates=("date", "replied"),
    prose=("text", "reply"),
)
# Replies to reviews: drafts, and the receipts of those that were sent. `drafted` is the digest of what the program
# wrote: a text with another digest was changed by a person.
REPLIES = DataFile(
    "data/replies.csv",
    ("store", "id", "locale", "template", "text", "drafted", "sent"),
    ("store", "id", "locale", "text"),
    {},
    dates=("sent",),
    key=("store", "id", "sent"),
    prose=("text",),
)
LISTINGS = DataFile(
    "data/listings.csv",
    ("date", "app", "locale", "title", "subtitle", "description"),
    ("app", "locale", "title"),
    {},
    dates=("date",),
)
SUGGESTIONS = DataFile(
    "data/suggestions.csv",
    ("locale", "seed", "position", "phrase"),
    ("locale", "seed", "position", "phrase"),
    {"position": (1, 100)},
)
SEARCH_PAGES = DataFile(
    "data/search_pages.csv",
    ("phrase", "storefront", "position", "app", "ratings", "stars", "released", "updated"),
    ("phrase", "storefront", "position", "app", "ratings", "stars"),
    {"position": (1, 1000), "ratings": (0, ANY), "stars": (0, 5)},
    old_name="data/results.csv",
)
# A row without a rank says that the app wasn't among the first `depth`. An empty app is ours, an empty store any.
RANKS = DataFile(
    "data/ranks.csv",
    ("date", "store", "app", "storefront", "phrase", "rank", "depth"),
    ("storefront", "phrase"),
    {"rank": (1, 10_000), "depth": (1, 10_000)},
    dates=("date",),
    either=("rank", "depth"),
    key=("date", "store", "app", "storefront", "phrase"),
)
# An empty count was withheld.
METRICS = DataFile(
    "data/metrics.csv",
    ("date", "store", "storefront", "source", "impressions", "page_views", "installs", "revenue"),
    ("date", "store", "storefront", "source"),
    {"impressions": (0, ANY), "page_views": (0, ANY), "installs": (0, ANY), "revenue": (-ANY, ANY)},
    dates=("date",),
    key=("date", "store", "storefront", "source"),
)
# An empty store or storefront means all of them; both days belong to the campaign.
CAMPAIGNS = DataFile(
    "data/campaigns.csv",
    ("from", "to", "store", "storefront", "what", "cost"),
    ("from", "to", "what"),
    {"cost": (0, ANY)},
    dates=("from", "to"),
    at_most=(("from", "to"),),
    prose=("what",),
)
# Days that are unlike others; an empty storefront means all.
CALENDAR = DataFile(
    "data/calendar.csv",
    ("from", "to", "storefront", "what"),
    ("from", "to", "what"),
    {},
    dates=("from", "to"),
    at_most=(("from", "to"),),
)
# What peers reach at a step of the funnel, as a share.
BENCHMARKS = DataFile(
    "data/benchmarks.csv",
    ("store", "category", "step", "rate", "source"),
    ("store", "step", "rate"),
    {"rate": (0, 1)},
)
# What came of an experiment: of a day's visitors that saw a variant, those who did it. The control is a variant too.
EXPERIMENTS = DataFile(
    "data/experiments.csv",
    ("experiment", "date", "variant", "visitors", "hits"),
    ("experiment", "date", "variant", "visitors", "hits"),
    {"visitors": (0, ANY), "hits": (0, ANY)},
    dates=("date",),
    key=("experiment", "date", "variant"),
    at_most=(("hits", "visitors"),),
)


# Of copy/glossary.csv.
GLOSSARY_COLUMNS = ("term", "locale", "target", "use", "note")
DATA_FILES = (
    REVIEWS,
    REPLIES,
    LISTINGS,
    SUGGESTIONS,
    SEARCH_PAGES,
    RANKS,
    METRICS,
    CAMPAIGNS,
    CALENDAR,
    BENCHMARKS,
    EXPERIMENTS,
)
