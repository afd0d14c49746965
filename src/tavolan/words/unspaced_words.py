"""Words of texts in scripts without spaces, for counting: as a phrase model cuts them, without their particles.

The words that compare in search are cut where the script changes (`words.split`), which parts a verb from its ending.
For what people say, 切れてしまいます is one word, and 接続が is 接続 with a particle.
"""

from functools import cache

import regex

from tavolan.languages.phrase_model import phrases_in
from tavolan.languages.scripts import script
from tavolan.languages.tags import language_of, script_of
from tavolan.languages.word_lists import word_lists
from tavolan.words.function_words import function_words


class UnspacedWords:
    """Cuts runs of a locale's script into words; where there's no model, they stay whole."""

    def __init__(self, locale: str) -> None:
        self.model = script(script_of(locale)).phrase_model
        self.language = language_of(locale)

    def __call__(self, run: str) -> list[str]:
        """Return the words of a run of letters, particles apart from what they follow."""
        parts = [part for phrase in phrases_in(run, self.model) for part in phrase.split()] if self.model else [run]
        return [word for part in parts for word in self._without_particles(part)]

    def _without_particles(self, phrase: str) -> list[str]:
        if phrase in function_words(self.language):
            return [phrase]
        found = _particles_at_end(self.language).fullmatch(phrase)
        return [word for word in found.groups() if word] if found else [phrase]


@cache
def _particles_at_end(language: str) -> regex.Pattern[str]:
    particles = str(word_lists("matching")["particles"].get(language, "")).split()
    either = "|".join(map(regex.escape, sorted(particles, key=len, reverse=True))) or "(?!)"
    return regex.compile(rf"(.+?)((?:{either}))")


def particles_of(language: str) -> frozenset[str]:
    """Return the particles of a language: none of them is a word by itself."""
    return frozenset(str(word_lists("matching")["particles"].get(language, "")).split())
