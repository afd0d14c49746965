"""The next steps of a report: what to do, why, and by which command."""

from dataclasses import dataclass

from tavolan.project.model import Project
from tavolan.reports.rank_words import rank_words
from tavolan.reports.resultstables import STEP_WORDS
from tavolan.reports.wintables import move_words
from tavolan.results.funnel import STEPS
from tavolan.results.month import MonthResults
from tavolan.words.value import TIER_WORDS

_MOST_WINS, _MOST_UNFOUND = 4, 4


@dataclass(frozen=True)
class NextStep:
    """What to do, the reason, and the command that shows or does it."""

    what: str
    why: str
    command: str


def next_steps(project: Project, found: MonthResults) -> list[NextStep]:
    """Return the next steps in the order of what's at stake: the funnel, phrases that aren't found, phrases to win."""
    steps = []
    if found.funnel and found.funnel.repair:
        funnel, step = found.funnel.repair
        steps.append(
            NextStep(
                f"Look after {STEP_WORDS[step.name]} in {funnel.store} {funnel.storefront}: {STEPS[step.name][2]}.",
                f"{step.share.value:.1%} where {step.goal:.1%} can be had: {funnel.gain(step):,.0f} more installs.",
                f"tavolan results funnel --store {funnel.store} --storefront {funnel.storefront} --why",
            )
        )
    steps += [
        NextStep(
            f"Find out why {project.app.name} isn't found under “{one.phrase}” in {one.store} {one.storefront}.",
            f"The listing has its words, and it was looked for {one.looks} times down to rank {one.depth}.",
            f'tavolan results ranks "{one.phrase}" --storefront {one.storefront}',
        )
        for one in found.moved.unfound[:_MOST_UNFOUND]
    ]
    for win in [one for one in (found.wins.best if found.wins else []) if one.move][:_MOST_WINS]:
        if win.move and win.answer.rank:
            now = TIER_WORDS[win.answer.tier] if win.answer.tier else "not answered"
            steps.append(
                NextStep(
                    f"Move {move_words(win.move)}.",
                    f"“{win.answer.phrase}” ranks {rank_words(win.answer.rank.rank)} in {win.answer.storefront} and is "
                    f"worth {win.answer.worth.value:.0f}; now: {now}. The listing gains {win.move.gain:.0f} in value.",
                    f"tavolan results wins --store {win.answer.store} --storefront {win.answer.storefront} --why",
                )
            )
    if found.moved.not_targeted:
        names = ", ".join(f"“{one.phrase}”" for one in found.moved.not_targeted[:3])
        steps.append(
            NextStep(
                f"Decide whether {names} should be targets.", "The app is found there, and no list has them.",
                "tavolan terms mine --locale TAG",
            )
        )  # fmt: skip
    return steps
