"""Actions for seasons: when to hand a season's page over, and when to go back to the usual one."""

from collections.abc import Iterator
from datetime import date, timedelta

from tavolan.advice.action import Action
from tavolan.advice.kinds import season_days
from tavolan.advice.situation import Situation
from tavolan.checking import run_checks
from tavolan.project.schema import SeasonTable
from tavolan.project.seasons import Span, locales_of, on_day, spans_around
from tavolan.support.number_words import counted


def hand_over_day(now: Situation) -> date:
    """Return the day whose page is to be handed over: a season's first, from some days before it on; else today."""
    lead = timedelta(days=season_days("lead"))
    coming = [
        span.first
        for season in now.project.seasons
        for span in spans_around(season, now.today)
        if span.first - lead <= now.today < span.first
    ]
    return min(coming, default=now.today)


def from_seasons(now: Situation) -> Iterator[Action]:
    """Yield an action for each season that begins or ended lately, as long as the journal says nothing of it."""
    notes = {line.note: line.date[:10] for line in now.journal}
    for season in now.project.seasons:
        for span in spans_around(season, now.today):
            begun, ended = span.first - now.today, now.today - span.last
            if timedelta(0) < ended <= timedelta(days=season_days("back")):
                if notes.get(_note(season, "gone back"), "") < str(span.last):
                    yield _action(now, season, span, "gone back", span.last + timedelta(days=1))
            elif begun <= timedelta(days=season_days("lead")) and now.today <= span.last:
                earliest = span.first - timedelta(days=2 * season_days("lead"))
                if notes.get(_note(season, "handed over"), "") < str(earliest):
                    yield _action(now, season, span, "handed over", span.first)


def _note(season: SeasonTable, what: str) -> str:
    return f"season {season.name}: {what}"


def _action(now: Situation, season: SeasonTable, span: Span, what: str, day: date) -> Action:
    project, back = now.project, what == "gone back"
    locales = locales_of(project, season)
    found = run_checks(on_day(project, day))
    known = {one.id for one in now.findings}
    errors = [one for one in found if one.level == "error" and not one.waived and one.id not in known]
    when = f"It ended on {span.last}" if back else f"It holds from {span.first} to {span.last}"
    fault = f"; with {counted(len(errors), 'error')}: tavolan check --on {day}" if errors else ""
    option = f" --on {day}" if day > now.today else ""
    renders = f"tavolan shots render{option}" if season.changes_pictures or season.captions else ""
    pushes = f"tavolan console push{option}" if project.consoles else "tavolan shots pack" if renders else ""
    steps = [step for step in (renders, pushes, f'tavolan console journal --note "{_note(season, what)}"') if step]
    places = now.reach.places(locales)
    if season.storefronts:
        places = [at for at in places if at[1] in season.storefronts]
    return Action(
        kind="seasons",
        what=f"Go back from the season {season.name}" if back else f"Hand over the season {season.name}",
        why=f"{when}, in {', '.join(locales[:4])}{fault}.",
        command=" && ".join(steps),
        gain=now.reach.of_share("seasons", places),
        minutes=now.minutes("seasons"),
        promise=f"journal: {_note(season, what)}",
        where="tavolan.toml",
        stage=8,
        about=(season.name,),
    )
