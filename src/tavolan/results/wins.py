"""The next wins: phrases just outside the first ten that are worth having and within reach, and what to move for them.

score = value x reach
value  as words.value has it: relevance x demand x chance, times 100
reach  1 where the phrase is within reach of what the app has won in this language (words.score.fit_of), 0.5 for a
       stretch and where nothing is known, 0.1 out of reach
"""

from collections.abc import Callable
from dataclasses import dataclass

from tavolan.errors import UsageError
from tavolan.project.model import Project
from tavolan.results.figures import Figures
from tavolan.results.scope import Scope
from tavolan.results.word_moves import Mover, WordMove
from tavolan.words.coverage import Answer, aimed_at, cover
from tavolan.words.known_ranks import NO_RANKS
from tavolan.words.score import fit_of, score
from tavolan.words.value import Valuer

FIRST, LAST = 11, 30
_REACH = {"won": 1.0, "within reach": 1.0, "a stretch": 0.5, "unknown": 0.5, "out of reach": 0.1}


@dataclass(frozen=True)
class Win:
    """A phrase that ranks 11 to 30 in a storefront, with the move that answers it more strongly, if any."""

    answer: Answer
    reach: str
    score: float
    move: WordMove | None


@dataclass(frozen=True)
class Wins:
    """The best phrases to win, and how many more there are."""

    best: list[Win]
    in_all: int


def next_wins(
    figures: Figures,
    scope: Scope,
    lists: tuple[str, ...] = (),
    most: int = 12,
    progress: Callable[[int, int | None], None] | None = None,
) -> Wins:
    """Return the phrases that rank 11 to 30 in a scope, the best score first, the first `most` with their best moves.

    Raises UsageError where no rank is known.
    """
    project = figures.project
    valuer = Valuer(project)
    if not valuer.known_ranks:
        raise UsageError("there are no ranks of ours", NO_RANKS)
    answers = aimed_at(
        project, cover(project, scope.stores_of(project), list(scope.storefronts), valuer), [], list(lists)
    )
    near = [answer for answer in answers if answer.rank and FIRST <= answer.rank.rank <= LAST]
    reach = _reaches(project, valuer, {answer.terms_locale for answer in near})
    scored = [(answer, reach.get((answer.terms_locale, answer.phrase), "unknown")) for answer in near]
    scored.sort(key=lambda pair: (-pair[0].worth.value * _REACH[pair[1]], pair[0].phrase, pair[0].storefront))
    mover, best = Mover(project, valuer), []
    for number, (answer, word) in enumerate(scored[:most]):
        if progress:
            progress(number, min(most, len(scored)))
        best.append(Win(answer, word, answer.worth.value * _REACH[word], mover.best(answer)))
    return Wins(best, len(scored))


def _reaches(project: Project, valuer: Valuer, locales: set[str]) -> dict[tuple[str, str], str]:
    """Return (locale, phrase) → reach, of the locales in which the app has won something."""
    scores = score(project, sorted(locales), valuer.difficulties.today)
    fits = {locale: fit_of(project, locale, scores, valuer.known_ranks) for locale in locales}
    return {(locale, phrase): word for locale, one in fits.items() if one for phrase, word in one.reach.items()}
