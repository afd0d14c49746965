"""What keyword space is worth: a figure of value reached against characters spent."""

import io

from tavolan.project.model import Project
from tavolan.reports.figures.style import BEST, FILL, GRID, NOW, NOW_INK, PLANNED, chart_style
from tavolan.words.plan import value_of_budget
from tavolan.words.plan_choices import Options
from tavolan.words.plan_model import Plan


def budget_curve(project: Project, options: Options, plan: Plan) -> bytes:
    """Return a PNG of 1200 x 750 pixels: the best value at every budget, the present listing, and the plan."""
    rule = project.stores[plan.store].rulebook.fields[plan.fields.keywords]
    spent_now = sum(rule.length(rule.separator.join(locale.keywords[0])).measured for locale in plan.locales)
    points = [(budget * len(plan.locales), value) for budget, value in value_of_budget(project, options)]
    title = f"{project.app.name}: what keyword space is worth in {', '.join(options.locales)}"
    return _drawn(title, points, plan, spent_now)


def _drawn(title: str, points: list[tuple[int, float]], plan: Plan, spent_now: int) -> bytes:
    """Draw the curve. `points` are (characters, best value), `spent_now` what the present lists spend."""
    style = chart_style([title])
    from matplotlib import pyplot

    spent_planned = sum(locale.length for locale in plan.locales)
    with pyplot.rc_context(style):
        figure, axes = pyplot.subplots(figsize=(12, 7.5), dpi=100, layout="constrained")
        xs, ys = [x for x, _ in points], [y for _, y in points]
        axes.fill_between(xs, min(ys) * 0.98, ys, color=FILL, alpha=0.25, linewidth=0)
        axes.plot(xs, ys, color=BEST, linewidth=2.6, marker="o", markersize=5, label="best choice at this budget")
        axes.plot([spent_now], [plan.before], "o", color=NOW, markersize=11, label="the listing now")
        axes.plot([spent_planned], [plan.value], "D", color=PLANNED, markersize=10, label="the plan")
        axes.annotate(
            f"{plan.before:.0f}", (spent_now, plan.before), (10, -20), textcoords="offset points", color=NOW_INK
        )
        axes.annotate(
            f"{plan.value:.0f}", (spent_planned, plan.value), (-10, 14), textcoords="offset points", ha="right"
        )
        axes.set_title(title, loc="left", fontsize=18, pad=16)
        axes.set_xlabel("characters of the keyword field that may be spent")
        axes.set_ylabel("value reached")
        axes.grid(axis="y", color=GRID)
        axes.set_xlim(0, max(*xs, spent_now) * 1.03)
        axes.legend(frameon=False, loc="lower right")
        out = io.BytesIO()
        figure.savefig(out, format="png", metadata={"Software": None})
        pyplot.close(figure)
    return out.getvalue()
