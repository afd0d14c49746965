"""Steps on the way to a first hand-over that nothing asks for yet: so that a new project sees the whole of it."""

from collections.abc import Iterator

from tavolan.advice.action import Action, Gain
from tavolan.advice.situation import Situation
from tavolan.pictures.making.counts import count_pictures
from tavolan.project.picture_records import read_records


def first_steps(now: Situation) -> Iterator[Action]:
    """Yield what follows in a project of which nothing was handed over."""
    if not now.is_new:
        return
    # With captures, the pictures that are to be made are an action already.
    if not read_records(now.project.root) and not any(one.possible for one in count_pictures(now.page).values()):
        yield Action(
            kind="pictures",
            what="Make the store pictures",
            why="Screen, device, words and background, at each store's sizes.",
            command="tavolan shots render",
            gain=Gain(),
            minutes=now.minutes("pictures"),
            promise="pictures: some where there are none",
            stage=5,
        )
    yield Action(
        kind="hand-over",
        what="Look at all of it as visitors will",
        why="Pictures, texts and gauges, all languages side by side.",
        command="tavolan preview",
        gain=Gain(),
        minutes=now.minutes("hand-over"),
        promise="out/preview.html",
        stage=7,
    )
