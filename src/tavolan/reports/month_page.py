"""The report of a month: one self-contained page, on screen and on paper, every figure with its source and formula."""

import math
import re
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import partial

from markupsafe import Markup

from tavolan.advice.action import Action
from tavolan.experiments.backlog import Entry
from tavolan.pictures.design.colour import resolve
from tavolan.project.model import Project
from tavolan.reports.experimenttables import STATE_WORDS, gain_words
from tavolan.reports.nexttable import action_rows
from tavolan.reports.page_template import page_from
from tavolan.reports.rank_words import rank_words
from tavolan.reports.resultstables import METHOD_WORDS, rank_effect_words, ratio_words, repair_words, verdict_words
from tavolan.reports.rivaltables import words_in_short
from tavolan.results.month import MonthResults
from tavolan.results.moved import MARKS, Move, Moved
from tavolan.results.rivals import WITHIN
from tavolan.results.share import ShareLine

_MOST_CHARTS, _MOST_GAPS = 3, 12


@dataclass(frozen=True)
class Headline:
    """A figure at the top: its name, what it is now, and what it's compared with."""

    name: str
    now: str
    beside: str
    tone: str = ""


def month_page(
    project: Project,
    found: MonthResults,
    experiments: Sequence[Entry] = (),
    actions: Sequence[Action] = (),
    progress: Callable[[int, int | None], None] | None = None,
) -> str:
    """Return the page as HTML, with what to do next and the backlog of experiments.

    `progress` hears of charts, drawn and in all.
    """
    drawn = [(one, one.series) for one in found.effects if one.series is not None][-_MOST_CHARTS:]
    charts = _Charts(progress, 1 + len(drawn) + bool(found.funnel) + bool(found.shares) + bool(found.rivals))
    from tavolan.reports.figures.effect_chart import effect_chart
    from tavolan.reports.figures.funnel_chart import funnel_chart
    from tavolan.reports.figures.moved_chart import moved_chart
    from tavolan.reports.figures.rival_chart import rival_chart
    from tavolan.reports.figures.share_chart import share_chart

    name, funnel, beside = project.app.name, found.funnel, found.rivals
    return page_from(
        "month.html.j2",
        app=project.app,
        palette=resolve(project.shots.palette),
        found=found,
        headlines=_headlines(found),
        crossings=_crossings(found.moved),
        gaps=[row for row in beside.rows if row.gap][:_MOST_GAPS] if beside else [],
        within=WITHIN,
        experiments=experiments,
        state_words=STATE_WORDS,
        gain_words=gain_words,
        actions=action_rows(actions),
        moved_chart=charts.draw(lambda: moved_chart(found.moved, "svg")),
        effect_charts=[charts.draw(partial(effect_chart, *pair, "svg")) for pair in drawn],
        funnel_chart=charts.draw(lambda: funnel_chart(funnel, "svg")) if funnel else "",
        share_chart=charts.draw(lambda: share_chart(name, found.shares, "svg")) if found.shares else "",
        rival_chart=charts.draw(lambda: rival_chart(name, beside, "svg")) if beside else "",
        repair=repair_words(*funnel.repair) if funnel and funnel.repair else "",
        settings=project.results,
        rank_words=rank_words,
        ratio_words=ratio_words,
        verdict_words=verdict_words,
        rank_effect_words=rank_effect_words,
        words_in_short=words_in_short,
        method_words=METHOD_WORDS,
    )


def _crossings(digest: Moved) -> list[tuple[str, int, list[Move]]]:
    """Return what entered and left the first 10, 20, 50 and 100: a word, the mark, and the moves."""
    both = [
        (verb, mark, moves)
        for mark in MARKS
        for verb, moves in (("entered", digest.entered(mark)), ("left", digest.left(mark)))
    ]
    return [one for one in both if one[2]]


def _headlines(found: MonthResults) -> list[Headline]:
    lines = []
    for one in found.moved.installs:
        verdict = verdict_words(one.found) if one.found else "no days to compare"
        tone = one.found.verdict if one.found else ""
        ratio = f", {ratio_words(one.found.ratio)}" if one.found else ""
        name = f"{one.store} installs" if math.isnan(one.paid_now) else f"{one.store} organic installs"
        lines.append(Headline(name, f"{one.now:,.0f}", f"{one.before:,.0f} before: {verdict}{ratio}", tone))
    ranks = found.moved.moves
    if ranks:
        now, before = (sum(rank <= 10 for rank in side) for side in ([m.now for m in ranks], [m.before for m in ranks]))
        tone = "up" if now > before else "down" if now < before else ""
        lines.append(Headline("phrases in the first 10", f"{now} of {len(ranks)}", f"{before} before", tone))
    lines += [
        Headline(
            f"search share, {' '.join(filter(None, (one.store, one.storefront)))}",
            f"{one.last:.1%}",
            f"{_share_before(one, found):.1%} at the beginning of the month",
        )
        for one in found.shares
        if one.app == found.moved.app and not one.list
    ][:3]
    return lines


def _share_before(line: ShareLine, found: MonthResults) -> float:
    """Return the share on the last day known before the month; the first one that's known, without any."""
    earlier = [share for day, share in line.shares.items() if day < found.period.first.toordinal()]
    return earlier[-1] if earlier else line.first


class _Charts:
    """Draws charts to be set into the page, one after the other."""

    def __init__(self, progress: Callable[[int, int | None], None] | None, in_all: int) -> None:
        self._progress, self._done, self._in_all = progress, 0, in_all

    def draw(self, chart: Callable[[], bytes]) -> Markup:
        """Return an SVG without its head, its width left to the page. Our own charts escape the texts in them."""
        if self._progress:
            self._progress(self._done, self._in_all)
        self._done += 1
        svg = chart().decode("utf-8")
        svg = svg[svg.index("<svg") :]
        svg = re.sub(r'(<svg[^>]*?) width="[^"]*"', r"\1", svg, count=1)
        svg = re.sub(r'(<svg[^>]*?) height="[^"]*"', r"\1", svg, count=1)
        # Names within one chart mustn't meet those of another one.
        mark = f"c{self._done}-"
        svg = re.sub(r'\bid="', f'id="{mark}', svg)
        svg = re.sub(r'(xlink:href|href)="#', rf'\1="#{mark}', svg)
        return Markup(re.sub(r"url\(#", f"url(#{mark}", svg))
