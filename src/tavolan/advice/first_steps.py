"""Steps on the way to a first hand-over that nothing asks for yet: so that a new project sees the whole of it."""

from collections.abc import Iterator

from tavolan.advice.action import Action, Gain
from tavolan.advice.situation import Situation
from tavolan.project.picture_records import read_records


def first_steps(now: Situation) -> Iterator[Action]:
    """Yield what follows in a project of which nothing was handed over."""
    if not now.is_new:
        return
    if not read_records(now.project.root):
        yield Action(
            "pictures",
            "Make the store pictures",
            "Screen, device, words and background, at each store's sizes.",
            "tavolan shots render",
            Gain(),
            now.minutes("pictures"),
            "pictures: some where there are none",
            stage=5,
        )
    yield Action(
        "hand-over",
        "Look at all of it as visitors will",
        "Pictures, texts and gauges, all languages side by side.",
        "tavolan preview",
        Gain(),
        now.minutes("hand-over"),
        "out/preview.html",
        stage=7,
    )
