"""Which words are plurals of which: by rules, and by checked lists of the words that no rule finds."""

from functools import cache, lru_cache

from tavolan.languages.word_lists import word_lists

_SHORTEST = 4
# Endings whose nouns end in e or a vowel where they're listed: plural, list, letters to cut there, letters to cut else.
_ENDINGS = (("oes", "oe", 1, 2), ("ches", "che", 1, 2), ("us", "u", 1, 0), ("is", "i", 1, 0))
_ALWAYS = (("ss", 0), ("shes", 2), ("xes", 2), ("sses", 2), ("tzes", 2))


@cache
def _lists() -> tuple[dict[str, str], dict[str, frozenset[str]]]:
    """Return the irregular plurals with their singulars, and the lists of words by name."""
    english = word_lists("plurals")["en"]
    return english["irregular"], {name: frozenset(text.split()) for name, text in english["words"].items()}


@lru_cache(maxsize=65536)
def singular(word: str) -> str:
    """Return the singular of a folded English word, or the word itself when it's no plural."""
    irregular, listed = _lists()
    if word in irregular:
        return irregular[word]
    if word.endswith("men") and len(word) > _SHORTEST and word not in listed["men"]:
        return word[:-2] + "an"
    if word.endswith("eaux"):
        return word[:-1]
    # A possessive is no plural, and its letters without the s are no word.
    if not word.endswith("s") or word.endswith("'s") or word in listed["same"]:
        return word
    if len(word) < _SHORTEST:
        return word[:-1] if word in listed["short"] else word
    return _without_s(word, listed)


def _without_s(word: str, listed: dict[str, frozenset[str]]) -> str:
    """Return a word that ends in s without its ending."""
    for ending, cut in _ALWAYS:
        if word.endswith(ending):
            return word[: len(word) - cut]
    for ending, name, cut, other in _ENDINGS:
        if word.endswith(ending):
            return word[: len(word) - (cut if word[:-cut] in listed[name] else other)]
    if word.endswith("ies"):
        return word[:-1] if word[:-1] in listed["ie"] else word[:-3] + "y"
    if word.endswith("es"):
        if word[:-2] in listed["s"] | listed["z"]:
            return word[:-2]
        if word.endswith("zzes"):
            return word[:-3] if word[:-3] in listed["z"] else word[:-2]
    return word[:-1]
