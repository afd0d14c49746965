"""What to do next: all actions, in the order in which they pay.

What a hand-over waits for comes first. Then what's worth most a minute; then what brings nothing by itself. Of one kind
at most two are shown, so that nothing is forgotten. Where nothing was ever handed over, the order is that of the way
to a first hand-over: texts, facts, words, screens, pictures, languages, consoles.
"""

from collections import Counter
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date

from tavolan.advice.action import Action, Gain
from tavolan.advice.first_steps import first_steps
from tavolan.advice.from_findings import from_findings
from tavolan.advice.from_results import from_experiments, from_metrics, from_reviews
from tavolan.advice.from_seasons import from_seasons
from tavolan.advice.from_video import from_video
from tavolan.advice.from_words import from_words
from tavolan.advice.from_work import from_hand_over, from_languages, from_pictures
from tavolan.advice.kinds import Kind
from tavolan.advice.reach import Place
from tavolan.advice.situation import Situation
from tavolan.checking import run_checks
from tavolan.checking.findings import Finding
from tavolan.project.model import Project

MOST, _OF_A_KIND = 10, 2
# Each asks the situation and changes nothing, so that their order makes no difference.
SOURCES: tuple[Callable[[Situation], Iterable[Action]], ...] = (
    from_words,
    from_seasons,
    from_pictures,
    from_video,
    first_steps,
    from_languages,
    from_hand_over,
    from_experiments,
    from_reviews,
    from_metrics,
)


def within_places(actions: Sequence[Action], installs: Callable[[Place], float]) -> list[Action]:
    """Return actions whose gains together promise no place more installs than it has; all of one are cut alike."""
    promised: Counter[Place] = Counter()
    for one in actions:
        promised.update({at: gain for at, gain in one.gain.by_place.items() if gain > 0})
    kept = {at: min(1.0, installs(at) / whole) for at, whole in promised.items() if whole > 0}
    return [replace(one, gain=_cut(one.gain, kept)) for one in actions]


def _cut(gain: Gain, kept: Mapping[Place, float]) -> Gain:
    """Return a gain of which each place keeps a part; the same one where all keep the whole."""
    if gain.unit != "installs" or not gain.value or all(kept.get(at, 1.0) == 1.0 for at in gain.by_place):
        return gain
    by_place = {at: value * kept.get(at, 1.0) for at, value in gain.by_place.items()}
    part = sum(by_place.values()) / gain.value
    note = {"all actions together": f"{part:.0%} of it, so that no place is promised more than it has"}
    value, low, high = part * gain.value, part * gain.low, part * gain.high
    return replace(gain, value=value, low=low, high=high, factors={**gain.factors, **note}, by_place=by_place)


@dataclass(frozen=True)
class NextActions:
    """A day's first actions, how many more of each kind there are, and whether it's the way to a first hand-over."""

    day: date
    first: list[Action]
    more: dict[Kind, int]
    is_new: bool


def what_next(
    project: Project,
    today: date,
    findings: list[Finding] | None = None,
    most: int = MOST,
    progress: Callable[[int, int | None], None] | None = None,
) -> NextActions:
    """Return what to do next. `findings` that are known spare another check.

    Raises ProjectError for files that can't be read.
    """
    now = Situation(project, today, run_checks(project, today) if findings is None else findings)
    found: list[Action] = []
    for number, source in enumerate(SOURCES, 1):
        found += source(now)
        if progress:
            progress(number, len(SOURCES) + 1)
    found += from_findings(now, {finding for action in found for finding in action.covers})
    found = within_places(found, now.reach.installs)
    if progress:
        progress(len(SOURCES) + 1, len(SOURCES) + 1)
    if now.is_new:
        found.sort(key=lambda one: (one.stage, not one.blocks, -one.rate, one.minutes, one.what))
    else:
        found.sort(key=lambda one: (not one.blocks, -one.rate, one.minutes, one.what))
    first: list[Action] = []
    of_kind: Counter[Kind] = Counter()
    # Whoever asks for more than the few wants all of them.
    uncapped = now.is_new or most > MOST
    for one in found:
        if len(first) < most and (one.blocks or uncapped or of_kind[one.kind] < _OF_A_KIND):
            first.append(one)
            of_kind[one.kind] += 1
    more = Counter(one.kind for one in found) - Counter(one.kind for one in first)
    return NextActions(today, first, dict(more), now.is_new)
