"""Actions for pictures, translations and hand-over: what's made here and hasn't got any further."""

from collections.abc import Iterator

from tavolan.advice.action import Action, Gain
from tavolan.advice.from_findings import MANY_LOCALES
from tavolan.advice.from_seasons import hand_over_day
from tavolan.advice.situation import Situation
from tavolan.checking.status import MISSING
from tavolan.consoles.base import read_base
from tavolan.consoles.content import holding_of
from tavolan.pictures.making.counts import count_pictures
from tavolan.project.locale_suggestions import suggest
from tavolan.project.seasons import on_day
from tavolan.project.translation_progress import Translation, translations_of
from tavolan.support.number_words import counted


def from_pictures(now: Situation) -> Iterator[Action]:
    """Yield an action for pictures that are to be made, or made again."""
    counts = count_pictures(now.page)
    todo = {key: one.possible - one.current for key, one in counts.items() if one.possible > one.current}
    if not todo:
        return
    number, old = sum(todo.values()), sum(counts[key].old for key in todo)
    current, possible = (sum(getattr(one, name) for one in counts.values()) for name in ("current", "possible"))
    locales = list(dict.fromkeys(locale for locale, _ in todo))
    places = now.reach.places(locales, {store for _, store in todo})
    part = number / max(1, sum(counts[key].possible for key in todo))
    again = f"{old} were made from something that changed; " if old else ""
    yield Action(
        kind="pictures",
        what=f"Make {counted(number, 'picture')} in {counted(len(locales), 'locale')}",
        why=f"{again}{current} of {possible} are up to date.",
        command="tavolan shots render",
        gain=now.reach.of_share("pictures", places, part),
        minutes=now.minutes("pictures"),
        promise=f"pictures to make: {number} → 0",
        stage=5,
        about=tuple(locales),
    )


def from_languages(now: Situation) -> Iterator[Action]:
    """Yield an action for each locale with texts that are missing or outdated, or one for many; and a locale to add.

    What only testers and writers of reviews read isn't asked for where it's missing.
    """
    project = now.project
    units: dict[str, list[Translation]] = {}
    for locale in project.app.locales:
        if locale != project.source_locale:
            found = [
                one
                for one in translations_of(now.texts, locale)
                if one.standing == "outdated"
                or (one.standing == "untranslated" and now.texts.role(one.address) not in ("tester_notes", "reply"))
            ]
            if found:
                units[locale] = found
    groups = [list(units)] if len(units) > MANY_LOCALES else [[locale] for locale in units]
    for locales in groups:
        yield _translate(now, {locale: units[locale] for locale in locales})
    best = next((one for one in suggest(project) if one.serves), None)
    if best and not now.is_new:
        yield Action(
            kind="languages",
            what=f"Add {best.locale}",
            why=f"{best.people / 1e6:,.0f} million people in {', '.join(best.serves[:4])} "
            "read none of your locales first.",
            command=f"tavolan locale add {best.locale}",
            gain=Gain(),
            minutes=now.minutes("languages", 10),
            promise=f"storefronts of {best.store} without a locale: {len(best.serves)} fewer",
            stage=9,
            about=(best.locale,),
        )


def _translate(now: Situation, units: dict[str, list[Translation]]) -> Action:
    keys = {(locale, one.address) for locale, several in units.items() for one in several}
    found = [
        one
        for one in now.findings
        if (one.locale, one.field) in keys and (one.rule in MISSING or one.rule == "outdated") and not one.waived
    ]
    addresses = sorted({address for _, address in keys})
    outdated = sum(one.standing == "outdated" for several in units.values() for one in several)
    where = next(iter(units)) if len(units) == 1 else f"{len(units)} locales"
    option = f" --locale {where}" if len(units) == 1 else ""
    count = len(keys)
    return Action(
        kind="languages",
        what=f"Translate {counted(count, 'text')} into {where}",
        why=f"{count - outdated} missing, {outdated} outdated: {', '.join(addresses[:3])}.",
        command=f"tavolan locale {'draft' if now.project.providers else 'send'}{option}",
        gain=now.reach.of_share("languages", now.reach.places(units), min(count / len(units), 5) / 5),
        minutes=now.minutes("languages", count),
        promise=f"texts to translate into {where}: {count} → 0",
        blocks=any(one.level == "error" for one in found),
        where=f"copy/{where}.toml" if option else "copy",
        stage=6,
        about=(*units, *addresses),
        covers=tuple(finding.id for finding in found),
    )


def from_hand_over(now: Situation) -> Iterator[Action]:
    """Yield an action for each store whose console hasn't what's here, and one where no console is connected."""
    project = now.project
    if not project.consoles:
        texts = len(project.app.locales)
        yield Action(
            kind="hand-over",
            what="Connect the stores' consoles",
            why=f"Else {texts} locales are copied into them by hand.",
            command="tavolan console connect URL",
            gain=Gain(),
            minutes=now.minutes("hand-over"),
            promise="stores with a console: 0 → 1 or more",
            stage=8,
        )
        return
    page = on_day(project, hand_over_day(now))
    option = f" --on {page.day}" if page.day != now.today else ""
    for store in (project.stores[name] for name in project.stores if name in project.consoles):
        base = read_base(project.root, store.id)
        here = holding_of(page, store).content
        differs = [place for place, value in here.items() if value is not None and base.get(place) != value]
        if not differs:
            continue
        locales = {place.locale for place in differs if place.locale}
        places = now.reach.places(locales, [store.id])
        stops = sum(one.level == "error" and not one.waived and one.concerns(store.id) for one in now.findings)
        why = f"{counted(stops, 'error')} in it would stop it." if stops else "Nothing in it is an error."
        yield Action(
            kind="hand-over",
            what=f"Hand over {counted(len(differs), 'change')} to {store.id}",
            why=why,
            command=f"tavolan console push --store {store.id}{option}",
            gain=now.reach.of_share("hand-over", places),
            minutes=now.minutes("hand-over"),
            promise=f"changes to hand over: {len(differs)} → 0",
            stage=8,
            about=(store.id,),
        )
