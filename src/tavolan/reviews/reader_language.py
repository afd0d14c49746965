"""Which language a reader wrote a review in, also a short one: it may be another than that of the storefront."""

from functools import cache

from tavolan.languages.tags import language_of, script_of
from tavolan.languages.word_lists import word_lists
from tavolan.project.model import Project
from tavolan.words import split
from tavolan.words.likely_language import CLEAR_MAJORITY, foreign_share, likely_language

# A word that holds sentences together counts once, one of a mood twice; so much of another language alone is clear.
_MOOD_WEIGHT, _CLEAR = 2, 2


def written_in(text: str, locale: str) -> str:
    """Return the language of a review of a locale; the locale's own where nothing speaks for another.

    "" where it's in another script than the locale's: then nobody can tell which.
    """
    if foreign_share(text, locale) > CLEAR_MAJORITY:
        return ""
    own = language_of(locale)
    likely = likely_language(text, locale)
    if likely != own:
        return likely
    known = _known_words(script_of(locale))
    if own not in known:
        return own
    there = split.words(text)
    counts = {language: sum(words.get(word, 0) for word in there) for language, words in known.items()}
    best = max(counts, key=lambda language: counts[language])
    alone = sum(count == counts[best] for count in counts.values()) == 1
    return best if counts[own] == 0 and counts[best] >= _CLEAR and alone else own


def reader_locale(project: Project, text: str, locale: str) -> str:
    """Return the locale in which a reader of a review is answered: the project's own of the language that it's in.

    "" where nobody can tell which language that is.
    """
    language = written_in(text, locale)
    if not language or language == language_of(locale):
        return locale if language else ""
    return next((tag for tag in project.app.locales if language_of(tag) == language), language)


@cache
def _known_words(code: str) -> dict[str, dict[str, int]]:
    """Return the words that tell each language of a script, with their weight."""
    moods = word_lists("moods")
    found = {}
    for language, listed in word_lists("function_words").items():
        if script_of(language) == code:
            felt = [word for mood in ("complaints", "praise") for word in moods[mood].get(language, ())]
            weights = dict.fromkeys(split.words(str(listed)), 1)
            found[language] = weights | {split.fold(word): _MOOD_WEIGHT for word in felt if " " not in word}
    return found
