"""Size, start, record and judge an experiment of a project."""

import math
from dataclasses import dataclass, field
from datetime import date, timedelta

from tavolan.errors import UsageError
from tavolan.experiments.files import Experiment
from tavolan.experiments.sizes import MOST_DAYS, Aim, Size, planned_size
from tavolan.experiments.verdicts import CONTROL, Count, Verdict, judge
from tavolan.project.datafile import EXPERIMENTS
from tavolan.project.experiment_schema import SPLIT_METRICS, ExperimentTable
from tavolan.project.model import Project
from tavolan.project.toml_edit import TomlEditor, TomlValue
from tavolan.results.funnel import STEPS, StepName
from tavolan.results.metrics import of_places, read_metrics, rows_in
from tavolan.results.periods import Period, changes_of, read_campaigns
from tavolan.results.scope import days_up_to


@dataclass(frozen=True)
class OwnRates:
    """The share of visitors who take the step that's measured, and how many visitors come a day."""

    rate: float
    a_day: float
    period: Period


def own_rates(project: Project, table: ExperimentTable) -> OwnRates:
    """Return the rates of an experiment's store and storefronts. Raises UsageError without visitors in the metrics."""
    start, end, _ = STEPS[_step(table)]
    metrics = of_places(read_metrics(project), table.store, table.storefronts)
    whole = metrics.dropna(subset=[start, end])
    if whole.empty:
        raise UsageError(
            f"there are no metrics of {table.store} {' '.join(table.storefronts)}".rstrip(),
            "Import some: tavolan import FILE, or --from-console.",
        )
    last = date.fromordinal(int(whole["date"].max()))
    period = days_up_to(last)
    rows = rows_in(whole, period)
    visitors, hits = float(rows[start].sum()), float(rows[end].sum())
    if not 0 < hits < visitors:
        raise UsageError(
            f"of {visitors:,.0f} visitors {hits:,.0f} took the step “{table.metric}”: no share to compare",
            "Choose another metric: page, install or direct.",
        )
    return OwnRates(hits / visitors, visitors / rows["date"].nunique(), period)


def _step(table: ExperimentTable) -> StepName:
    if table.metric not in SPLIT_METRICS:
        raise UsageError(
            f"“{table.metric}” can't be measured by splitting visitors",
            "Change the page, and let tavolan results effect compare the days before and after.",
        )
    steps: dict[str, StepName] = {name: name for name in STEPS}
    return steps[table.metric]


def size_of(project: Project, table: ExperimentTable, rates: OwnRates | None = None) -> Size:
    """Return how many visitors and days an experiment takes. Raises UsageError for one that can't be sized.

    `rates` that are known spare reading the metrics once more.
    """
    rates = rates or own_rates(project, table)
    variants = max(1, len(table.variant))
    try:
        aim = Aim(table.expected, table.margin, table.worth_having > 0, table.error, table.power)
        return planned_size(rates.rate, rates.a_day * table.share, variants, aim)
    except ValueError as error:
        message = f"a rate of {rates.rate:.1%} can't change by {table.expected:+.0%}"
        raise UsageError(message, "Expect less: the new rate must be between 0 and 100 %.") from error


def length_of(project: Project, one: Experiment) -> Size:
    """Return the size of an experiment that's about to start.

    Raises UsageError for one that has started, that has no variant, or that can't end.
    """
    table = one.table
    if table.start:
        raise UsageError(f"{one.id} has started on {table.start}", "Another one needs a file of its own.")
    if not table.variant:
        raise UsageError(f"{one.id} has no variant", f"Write [variant.<name>] into {one.address}.")
    size = size_of(project, table)
    if size.days is None:
        raise UsageError(f"{one.id} can't end within {MOST_DAYS} days", no_end_remedy(table, size))
    return size


def write_start(project: Project, one: Experiment, day: date, size: Size) -> None:
    """Write start, end, and the visitors and days that are decided now."""
    days = size.days or MOST_DAYS
    last = day + timedelta(days=days - 1)
    write_keys(project, one, start=day.isoformat(), end=last.isoformat(), visitors=size.visitors, days=days)


def no_end_remedy(table: ExperimentTable, size: Size) -> str:
    """Return what can be seen instead, as a sentence."""
    if math.isnan(size.smallest):
        return "Too few visitors come for any effect: test something that more people see."
    if table.worth_having and abs(size.smallest) <= abs(table.expected):
        return _no_margin_remedy(size)
    return (
        f"The smallest effect that {MOST_DAYS} days can show is {size.smallest:+.1%}: expect as much, or test bolder."
    )


def _no_margin_remedy(size: Size) -> str:
    """Return what to do where the effect could be seen, but not that there's none."""
    begin = "The expected effect can be seen, “no difference” can't"
    if math.isnan(size.smallest_margin):
        return f"{begin}: leave worth_having out."
    return (
        f"{begin}: {MOST_DAYS} days can show it within {size.smallest_margin:.1%}. Write as much as worth_having, or "
        "leave it out."
    )


def write_keys(project: Project, one: Experiment, **values: TomlValue) -> None:
    """Write keys of an experiment's file; comments and order stay."""
    editor = TomlEditor(project.root / one.address, one.address)
    for key, value in values.items():
        editor.set((key,), value)
    editor.save()


def read_counts(project: Project, name: str) -> dict[date, dict[str, Count]]:
    """Return the counts of an experiment by day, in order. Raises ProjectError for faults of the table."""
    found: dict[date, dict[str, Count]] = {}
    for row in project.tables.rows(EXPERIMENTS):
        if row.text("experiment") == name:
            day = found.setdefault(date.fromisoformat(row.text("date")), {})
            day[row.text("variant")] = Count(int(row.numbers["visitors"]), int(row.numbers["hits"]))
    return dict(sorted(found.items()))


@dataclass(frozen=True)
class Judged:
    """The verdict, the days that were left out, changes of the journal meanwhile, and how many days are to go."""

    experiment: Experiment
    verdict: Verdict
    first: date | None
    last: date | None
    left_out: int
    overlaps: list[str] = field(default_factory=list)
    days_to_go: int = 0

    @property
    def winner(self) -> str:
        """The best variant that's better than the control; the control where none is."""
        better = [one for one in self.verdict.judgements if one.outcome == "better"]
        return max(better, key=lambda one: one.ratio.value).variant if better else CONTROL


def judge_experiment(project: Project, one: Experiment, today: date) -> Judged:
    """Return the verdict on an experiment as it is now. Raises UsageError for one that hasn't started."""
    table = one.table
    if not table.start:
        raise UsageError(f"{one.id} hasn't started", f"Start it: tavolan experiment start {one.id}")
    if not table.visitors:
        raise UsageError(
            f"{one.id} has no size", f"Write visitors and days into {one.address}: tavolan experiment size."
        )
    counts = read_counts(project, one.id)
    known = {CONTROL, *table.variant}
    for day in counts.values():
        for name in day:
            if name not in known:
                raise UsageError(f'{EXPERIMENTS.name} has counts of "{name}", which is no variant of {one.id}')
    begin = date.fromisoformat(table.start)
    campaigns = [c for c in read_campaigns(project) if c.touches(table.store, table.storefronts)]
    out = [day for day in counts if table.campaigns == "out" and any(c.period.holds(day) for c in campaigns)]
    days = [day for day in counts if day >= begin and day not in out]
    verdict = judge([counts[day] for day in days], list(table.variant), table.visitors, table.margin, table.error)
    span = Period(begin, max(days, default=begin))
    fronts = set(table.storefronts)
    overlaps = [
        f"{change.day} {change.words}"
        for change in changes_of(project)
        if change.store == table.store
        and span.holds(change.day)
        and change.day != begin
        and (not fronts or fronts & set(change.storefronts(project)))
    ]
    overlaps += [f"{c.period}: {c.what}" for c in campaigns if c.period.meets(span) and table.campaigns == "in"]
    left = max(0, (date.fromisoformat(table.end) - today).days) if table.end else 0
    first, last = min(days, default=None), max(days, default=None)
    return Judged(one, verdict, first, last, len(out), overlaps, left)


def write_outcome(project: Project, found: Judged) -> None:
    """Write outcome and winner into the experiment's file.

    Raises UsageError while nobody can tell and it isn't over, and where visitors weren't split as planned.
    """
    outcomes = {one.outcome for one in found.verdict.judgements}
    if found.verdict.is_split_wrong:
        raise UsageError("visitors weren't split as planned: there's no outcome", "Find out why, and start anew.")
    if outcomes == {"unknown"} and found.verdict.progress < 1 and found.days_to_go:
        raise UsageError(f"nobody can tell yet: {found.days_to_go} days to go", "Write it down when it's over.")
    best = next(name for name in ("better", "none", "worse", "unknown") if name in outcomes)
    write_keys(project, found.experiment, outcome=best, winner=found.winner)
