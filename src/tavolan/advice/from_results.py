"""Actions for experiments, reviews and figures: what was begun and isn't ended, and who waits for an answer."""

import math
from collections.abc import Iterator

from tavolan.advice.action import Action, Gain
from tavolan.advice.reach import Place
from tavolan.advice.situation import Situation
from tavolan.errors import UsageError
from tavolan.experiments.applying import applied_note
from tavolan.experiments.backlog import Entry, backlog
from tavolan.experiments.files import Experiment, read_experiments
from tavolan.experiments.running import judge_experiment, size_of
from tavolan.experiments.verdicts import CONTROL
from tavolan.project.datafile import METRICS, REVIEWS
from tavolan.project.experiment_schema import SPLIT_METRICS
from tavolan.results.figures import Figures
from tavolan.results.funnel import funnel_report
from tavolan.results.intervals import Interval
from tavolan.results.scope import Scope
from tavolan.reviews.queue import review_queue
from tavolan.reviews.reply_table import read_replies
from tavolan.reviews.templates import FILE
from tavolan.support.number_words import counted

# Figures that are older say little of the present page.
_STALE_DAYS = 14
_REPLIES = 20


def from_experiments(now: Situation) -> Iterator[Action]:
    """Yield what the most promising experiment of each state asks for, and an idea for the weakest step."""
    experiments = read_experiments(now.project)
    entries = backlog(now.project, experiments, now.today)
    busy = {entry.experiment.table.store for entry in entries if entry.state == "running"}
    for entry in entries:
        one = entry.experiment
        if entry.state in ("ready", "idea") and one.table.store not in busy and _can_end(now, one):
            busy.add(one.table.store)
            yield _start(now, entry)
        elif entry.state in ("running", "finished") and not one.table.outcome:
            # Others are judged by comparing days: tavolan results effect.
            yield from _judge(now, one) if one.table.metric in SPLIT_METRICS else ()
        elif entry.state == "finished":
            yield Action(
                kind="experiments",
                what=f"Write down why {one.id} came out as it did",
                why="What isn't written down isn't learned.",
                command=f"tavolan experiment show {one.id}",
                gain=Gain(),
                minutes=now.minutes("experiments"),
                promise="experiments without a why: 1 less",
                where=one.address,
                stage=9,
                about=(one.id,),
            )
        if one.table.outcome and one.table.winner not in ("", CONTROL):
            yield from _apply(now, one)
    yield from _new_idea(now, experiments)


def _places(now: Situation, one: Experiment) -> list[Place]:
    wanted = set(one.table.storefronts)
    return [at for at in now.reach.places(stores=[one.table.store]) if not wanted or at[1] in wanted]


def _can_end(now: Situation, one: Experiment) -> bool:
    try:
        return size_of(now.project, one.table).days is not None
    except UsageError:
        # It has no metrics, or a metric that isn't measured by splitting visitors.
        return False


def _start(now: Situation, entry: Entry) -> Action:
    """Return what an experiment that's ready, or an idea, asks for."""
    one, ready = entry.experiment, entry.state == "ready"
    expected, sure = abs(one.table.expected), one.table.confidence
    words = f"{expected:+.0%} expected × {sure:.0%} sure; nothing to {expected:+.0%}"
    gain = now.reach.of_ratio(_places(now, one), expected * sure, 0.0, expected, words, measured=False)
    return Action(
        kind="experiments",
        what=f"Start the experiment {one.id}" if ready else f"Write a variant for the experiment {one.id}",
        why=one.table.hypothesis,
        command=f"tavolan experiment {'start' if ready else 'show'} {one.id}",
        gain=gain,
        minutes=now.minutes("experiments") if ready else 60 * one.table.effort,
        promise="experiments running: 1 more" if ready else f"{one.id}: ready to start",
        where=one.address,
        stage=9,
        about=(one.id,),
    )


def _judge(now: Situation, one: Experiment) -> Iterator[Action]:
    verdict = judge_experiment(now.project, one, now.today).verdict
    decided = [each for each in verdict.judgements if each.outcome in ("better", "worse", "none")]
    if not decided and one.state(now.today) != "finished":
        return
    better = next((each for each in decided if each.outcome == "better"), None)
    words = f"{better.variant} is better" if better else decided[0].outcome if decided else "nothing to be seen"
    yield Action(
        kind="experiments",
        what=f"End the experiment {one.id}",
        why=f"The verdict is there: {words}.",
        command=f"tavolan experiment judge {one.id} --apply",
        gain=_measured(now, one, better.ratio if better else None),
        minutes=now.minutes("experiments"),
        promise=f"{one.id}: an outcome in its file",
        where=one.address,
        stage=9,
        about=(one.id,),
    )


def _measured(now: Situation, one: Experiment, ratio: Interval | None) -> Gain:
    """Return what a variant brings once it's the page, by what was measured; nothing known where it wasn't."""
    if ratio is None or math.isnan(ratio.value):
        return Gain()
    words = f"× {ratio.value:.2f} ({ratio.low:.2f} to {ratio.high:.2f}) measured"
    return now.reach.of_ratio(_places(now, one), ratio.value - 1, ratio.low - 1, ratio.high - 1, words, measured=True)


def _apply(now: Situation, one: Experiment) -> Iterator[Action]:
    if any(line.note == applied_note(one) for line in now.journal):
        return
    won = None
    if one.table.metric in SPLIT_METRICS and one.table.start:
        judgements = judge_experiment(now.project, one, now.today).verdict.judgements
        won = next((each for each in judgements if each.variant == one.table.winner), None)
    yield Action(
        kind="experiments",
        what=f"Make {one.table.winner} the page: it has won {one.id}",
        why=one.table.hypothesis,
        command=f"tavolan experiment apply {one.id}",
        gain=_measured(now, one, won.ratio if won else None),
        minutes=now.minutes("experiments"),
        promise=f"journal: {one.table.winner} is the page now",
        where=one.address,
        stage=9,
        about=(one.id,),
    )


def _new_idea(now: Situation, experiments: list[Experiment]) -> Iterator[Action]:
    """Yield an experiment on the step of the funnel whose repair would bring most, where none is about it."""
    try:
        report = funnel_report(Figures(now.project), Scope())
    except UsageError:
        return
    if not report.repair:
        return
    funnel, step = report.repair
    if any(
        one.table.store == funnel.store and one.table.metric == step.name and not one.table.outcome
        for one in experiments
    ):
        return
    expected = step.goal / step.share.value - 1
    at = [(funnel.store, funnel.storefront)]
    words = f"{step.share.value:.1%} → {step.goal:.1%} at most; half of it for the order"
    name = f"better-{step.name}-{funnel.storefront.lower()}"
    yield Action(
        kind="experiments",
        what=f"Try to mend “{step.name}” in {funnel.store} {funnel.storefront}",
        why=f"{step.share.value:.1%} of visitors take the step, {step.goal:.1%} elsewhere.",
        command=f"tavolan experiment new {name} --metric {step.name} --store {funnel.store} "
        f'--storefront {funnel.storefront} --expected {min(expected, 0.5):.2f} --hypothesis "…"',
        gain=now.reach.of_ratio(at, expected / 2, 0.0, expected, words, measured=False),
        minutes=now.minutes("experiments", 12),
        promise="ideas in the backlog: 1 more",
        stage=9,
        about=(name,),
    )


def from_reviews(now: Situation) -> Iterator[Action]:
    """Yield an action for readers who wait for an answer, praise left out, and one for drafts that aren't sent."""
    project = now.project
    if project.tables.last_day(REVIEWS) is None:
        return
    queue = review_queue(project, now.today, most=_REPLIES)
    urgent = [one for one in queue.first if one.reason != "praise"]
    drafts = {(one.store, one.id) for one in read_replies(project) if not one.sent}
    without = [one for one in urgent if (one.store, one.id) not in drafts]
    part = f"{queue.answered.value:.0%} of {queue.reviews:,} reviews are answered"
    if queue.rated_anew:
        part += f"; {queue.rated_anew} readers rated anew after a reply, {queue.after - queue.before:+.1f} stars"
    if without and (project.root / FILE).is_file():
        command, promise = f"tavolan reviews reply --top {_REPLIES}", f"drafts of replies: {len(without)} more"
    elif without:
        command, promise = 'tavolan reviews reply ID --text "…"', "drafts of replies: 1 more"
    elif drafts:
        command, promise = "tavolan reviews send", f"drafts to send: {len(drafts)} → fewer"
    else:
        return
    places = now.reach.places(stores={one.store for one in urgent if one.store})
    several = counted(len(without) or len(drafts), "reader")
    yield Action(
        kind="reviews",
        what=f"Answer {several}",
        why=f"{part}.",
        command=command,
        gain=now.reach.of_share("reviews", places, max(1, len(urgent)) / _REPLIES),
        minutes=now.minutes("reviews", len(without) or len(drafts)),
        promise=promise,
        stage=9,
    )


def from_metrics(now: Situation) -> Iterator[Action]:
    """Yield an action where there are no figures, or only old ones."""
    if now.is_new:
        return
    last = now.project.tables.last_day(METRICS)
    age = (now.today - last).days if last else None
    if age is not None and age <= _STALE_DAYS:
        return
    how = "--from-console" if now.project.consoles else "FILE"
    why = f"The newest day is {last}, {age} days ago." if last else "Without them nobody learns what a change did."
    yield Action(
        kind="results",
        what="Take the figures of the last weeks in",
        why=why,
        command=f"tavolan import {how}",
        gain=Gain(),
        minutes=now.minutes("results"),
        promise="the newest day of data/metrics.csv",
        stage=9,
    )
