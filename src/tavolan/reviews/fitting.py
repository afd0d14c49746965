"""Whether a reply suits what its reader wrote: the mood, and an answer that they haven't had yet."""

from collections.abc import Iterator

from tavolan.checking.findings import Rule
from tavolan.checking.replies import ReplyFault
from tavolan.reviews.mood import complaint_in, praise_in
from tavolan.reviews.queue import LOW_STARS, Waiting
from tavolan.reviews.reply_table import Reply
from tavolan.support.number_words import counted

AGAIN = Rule("reply-again", "error")
MOOD = Rule("reply-mood", "warning")
# From fewer stars on, words of praise are odd.
_FEW_STARS = 2


def misfits(reply: Reply, review: Waiting, *, is_about: bool) -> Iterator[ReplyFault]:
    """Yield what's wrong between a reply and the review that it's for.

    `is_about` says that its template asks for words that the review has, so that the stars don't decide alone.
    """
    if same_words(reply.text, review.reply):
        message = "is the answer that this reader has already"
        yield ReplyFault(AGAIN, message, "Say what's new since, or leave it.")
    if not (reply.is_edited or is_about) and (odd := mood_against_stars(review, reply.locale)):
        yield ReplyFault(MOOD, odd, "Read it, and answer by hand: tavolan reviews reply ID --text TEXT.", review.text)


def same_words(one: str, other: str) -> bool:
    """Whether two texts are the same but for white space."""
    return bool(one.split()) and one.split() == other.split()


def mood_against_stars(review: Waiting, locale: str) -> str:
    """Return how the words of a review, in the language of a locale, disagree with its stars; "" where they don't."""
    complaint = complaint_in(review.text, locale)
    if review.stars > LOW_STARS and complaint:
        return f"the review has {counted(review.stars, 'star')}, and says “{complaint}”"
    if review.stars <= _FEW_STARS and not complaint and (praise := praise_in(review.text, locale)):
        return f"the review has {counted(review.stars, 'star')}, and says “{praise}”"
    return ""
