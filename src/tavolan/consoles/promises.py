"""What every console promises, however it's reached: each sentence with what finds out whether it's kept."""

from collections.abc import Callable

from tavolan.consoles.protocol import EDITABLE
from tavolan.consoles.trial import Promise, Trial, Trying, promises_in, require

PROMISES: list[Promise] = []


def _promise(sentence: str) -> Callable[[Trying], Trying]:
    return promises_in(PROMISES, sentence)


@_promise("An app record names its store and its default locale.")
def _record(trial: Trial) -> None:
    require(trial.record.store == trial.book.id, f"its store is {trial.record.store}")
    require(trial.record.default_locale, "there's no default locale")


@_promise("A text is read back as it was sent, in every language.")
def _text_comes_back(trial: Trial) -> None:
    words = f"{trial.words()[:-4]}\nÖé"
    trial.change({trial.prose: words})
    seen = trial.listing()
    require(seen and seen.value.texts.get(trial.prose) == words, f"{trial.prose} is another text")


@_promise("A change answers with the locale as it is from then on, and its tag is the current one.")
def _change_answers(trial: Trial) -> None:
    words = trial.words()
    done, seen = trial.change({trial.prose: words}), trial.listing()
    require(done.value.texts.get(trial.prose) == words, "the answer has another text")
    require(seen and seen.etag == done.etag, "the tag of the answer isn't the one that's read afterwards")


@_promise("A change of one text leaves the others as they are.")
def _others_stay(trial: Trial) -> None:
    name, most = trial.limited
    words = trial.words(most)
    trial.change({name: words})
    trial.change({trial.prose: trial.words()})
    seen = trial.listing()
    require(seen and seen.value.texts.get(name) == words, f"{name} was changed along")


@_promise("A text that is sent as null is gone.")
def _null_takes_away(trial: Trial) -> None:
    name, most = trial.limited
    trial.change({name: trial.words(most)})
    trial.change({name: None})
    seen = trial.listing()
    require(not (seen and seen.value.texts.get(name)), f"{name} is still there")


@_promise("An entity tag changes with what it's of, and with nothing else.")
def _tags(trial: Trial) -> None:
    first = trial.change({trial.prose: trial.words()})
    again = trial.listing()
    require(again and again.etag == first.etag, "reading changed it")
    require(trial.change({trial.prose: trial.words()}).etag != first.etag, "another text has the same tag")
    facts = trial.console.facts().etag
    trial.change({trial.prose: trial.words()})
    require(trial.console.facts().etag == facts, "a text changed the tag of the facts")


@_promise("A change under a tag that isn't current is refused with 412, and changes nothing.")
def _stale(trial: Trial) -> None:
    old = trial.change({trial.prose: trial.words()}).etag
    words = trial.words()
    trial.change({trial.prose: words})
    with trial.refused(412):
        trial.change({trial.prose: trial.words()}, old)
    with trial.refused(412):
        trial.change({trial.prose: trial.words()}, "")
    seen = trial.listing()
    require(seen and seen.value.texts.get(trial.prose) == words, "the refused text is there")


@_promise("A text over the store's limit is refused with 422 and its place, and changes nothing.")
def _over(trial: Trial) -> None:
    name, most = trial.limited
    words = trial.words()
    trial.change({trial.prose: words, name: None})
    with trial.refused(422) as refusals:
        trial.change({trial.prose: trial.words(), name: "x" * (most + 1)})
    place = f"{trial.record.default_locale} {name}"
    require(place in refusals[0].fields, f"the refusal doesn't name {place}")
    seen = trial.listing()
    require(seen and seen.value.texts.get(trial.prose) == words, "a part of the refused change is there")


@_promise("A field that the store doesn't have is refused with 422.")
def _unknown_field(trial: Trial) -> None:
    with trial.refused(422):
        trial.change({"no-such-field": "words"})


@_promise("A new locale is begun without a tag, listed once, and taken away under its tag with its texts.")
def _locale(trial: Trial) -> None:
    tag = trial.free_locale
    made = trial.console.change_listing(tag, {trial.prose: trial.words()}, "")
    listed = [tagged.value.locale for tagged in trial.console.listings()]
    try:
        require(listed.count(tag) == 1, f"it's listed {listed.count(tag)} times")
        with trial.refused(412):
            trial.console.change_listing(tag, {trial.prose: trial.words()}, "")
    finally:
        trial.console.delete_listing(tag, made.etag)
    require(trial.console.listing(tag) is None, "it's still there")


@_promise("The default locale can't be taken away.")
def _default_stays(trial: Trial) -> None:
    seen = trial.change({trial.prose: trial.words()})
    with trial.refused(409, 422):
        trial.console.delete_listing(trial.record.default_locale, seen.etag)


@_promise("A fact is read back as it was sent; under a tag that isn't current it's refused with 412.")
def _facts(trial: Trial) -> None:
    name, old = trial.fact, trial.console.facts()
    words = trial.words(20)
    trial.console.change_facts({name: words}, old.etag)
    require(trial.console.facts().value.facts.get(name) == words, f"{name} is something else")
    with trial.refused(412):
        trial.console.change_facts({name: trial.words(20)}, old.etag)
    require(trial.console.facts().value.facts.get(name) == words, "the refused fact is there")


@_promise("A file that is there isn't asked for again, and comes back byte for byte.")
def _files(trial: Trial) -> None:
    data = trial.picture()
    sha256, _ = trial.upload(data)
    trial.order([sha256])
    _, asked = trial.upload(data)
    require(not asked, "it was asked for again")
    require(trial.console.file(sha256) == data, "other bytes came back")


@_promise("A set has the pictures that were sent, in their order.")
def _order(trial: Trial) -> None:
    _, _, most = trial.place
    pictures = [trial.upload(trial.picture())[0] for _ in range(min(most, 3))]
    for wanted in (pictures, pictures[::-1], pictures[1:]):
        trial.order(wanted)
        require(trial.pictures() == wanted, "it has others, or another order")


@_promise("A set under a tag that isn't current is refused with 412, and stays as it is.")
def _stale_set(trial: Trial) -> None:
    one, other = (trial.upload(trial.picture())[0] for _ in range(2))
    old = trial.order([one])
    trial.order([other])
    with trial.refused(412):
        trial.order([one], old)
    require(trial.pictures() == [other], "the refused pictures are there")


@_promise("A picture that wasn't uploaded, and one too many, are refused.")
def _no_such_picture(trial: Trial) -> None:
    sha256, _ = trial.upload(trial.picture())
    trial.order([sha256])
    with trial.refused(409, 422):
        trial.order(["0" * 64])
    with trial.refused(409, 422):
        trial.order([sha256] * (trial.place[2] + 1))
    require(trial.pictures() == [sha256], "the refused pictures are there")


@_promise("A version that was begun is the one that can be edited, and none can be begun beside it.")
def _version(trial: Trial) -> None:
    open_ones = _editable(trial)
    if not open_ones:
        name = trial.begin_version()
        open_ones = _editable(trial)
        require(open_ones == [name], f"those that can be edited are {open_ones}")
    require(len(open_ones) == 1, f"{len(open_ones)} can be edited")
    with trial.refused(409):
        trial.console.begin_version("999.0")


def _editable(trial: Trial) -> list[str]:
    return [version.version for version in trial.console.versions() if version.state in EDITABLE]
