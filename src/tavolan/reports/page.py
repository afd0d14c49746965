"""The preview page: one self-contained HTML file of all locales with text, gauges, findings and pictures."""

import os
from collections.abc import Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any
from urllib.parse import quote

from tavolan.advice.action import Action
from tavolan.checking import Finding, count_levels
from tavolan.languages.tags import is_right_to_left, locale_name
from tavolan.pictures.design.colour import resolve
from tavolan.pictures.making.thumbnails import thumbs
from tavolan.project.kept_sets import handed_over
from tavolan.project.model import Project, Store
from tavolan.project.picture_records import finished, set_files
from tavolan.project.video_records import read_video_records, video_file
from tavolan.reports.nexttable import action_rows
from tavolan.reports.page_template import jpeg_address, page_from
from tavolan.reports.rank_words import change_words, rank_words
from tavolan.rulebooks.model import FieldRule, Role
from tavolan.words.coverage import Answer, cover
from tavolan.words.plan_model import Plan
from tavolan.words.value import TIER_WORDS

_HEAD_ROLES: tuple[Role, ...] = ("title", "subtitle", "short")


@dataclass(frozen=True)
class FieldView:
    """One field as the page shows it; `share` is the part of the limit that is used, in percent."""

    key: str
    kind: str
    text: str
    entries: list[str]
    length: int
    limit: int | None
    state: str
    required: bool
    inherited_from: str = ""

    @property
    def share(self) -> float:
        """Used part of the limit, 0 to 100."""
        return min(100.0, 100 * self.length / self.limit) if self.limit else 0.0


@dataclass(frozen=True)
class VideoView:
    """A preview video: addresses of the file and of its still picture, from the page's folder, and its size."""

    address: str
    poster: str
    width: int
    height: int


@dataclass(frozen=True)
class SetView:
    """The pictures of one size class, and its video."""

    size_class: str
    pictures: list[str]
    video: VideoView | None = None


@dataclass(frozen=True)
class ListingView:
    """One locale of one store."""

    store: str
    code: str | None
    head: dict[str, str]
    fields: list[FieldView]
    sets: list[SetView]
    findings: list[Finding]


@dataclass(frozen=True)
class LocaleView:
    """All stores of one locale."""

    tag: str
    name: str
    direction: str
    listings: list[ListingView] = field(default_factory=list)
    counts: dict[str, int] = field(default_factory=dict)


def build_page(
    project: Project,
    findings: list[Finding],
    plan: Plan | None = None,
    actions: Sequence[Action] = (),
    folder: Path | None = None,
) -> str:
    """Return the page as HTML.

    Pictures are taken from `out/shots`; those not rendered yet are left out. Videos are played from where they are:
    `folder` is the one that the page goes to, `out` by default. A `plan` of words is shown beside what the
    listing has; `actions` are what to do next.
    """
    return page_from(
        "preview.html.j2",
        app=project.app,
        palette=resolve(project.shots.palette),
        stores=list(project.stores),
        locales=locale_views(project, findings, folder or project.root / "out"),
        general=[f for f in findings if not f.locale and not f.waived],
        counts=count_levels(findings),
        source=project.source_locale,
        matrices=_matrices(project),
        tier_words=TIER_WORDS,
        rank_words=rank_words,
        change_words=change_words,
        plan=plan,
        actions=action_rows(actions),
    )


@dataclass(frozen=True)
class MatrixView:
    """Coverage of one store: rows of phrases, a cell per storefront (None: not aimed there)."""

    store: str
    fronts: list[str]
    rows: list[tuple[str, str, float, list[Answer | None]]]
    done: int
    total: int
    ranked: bool


def _matrices(project: Project) -> list[MatrixView]:
    found = []
    for store in project.stores:
        answers = cover(project, [store])
        if not answers:
            continue
        fronts = list(dict.fromkeys(a.storefront for a in answers))
        cells = {(a.terms_locale, a.phrase, a.storefront): a for a in answers}
        worth: dict[tuple[str, str], float] = {}
        for a in answers:
            worth[a.terms_locale, a.phrase] = worth.get((a.terms_locale, a.phrase), 0.0) + a.worth.value
        rows = [
            (locale, phrase, value, [cells.get((locale, phrase, front)) for front in fronts])
            for (locale, phrase), value in worth.items()
        ]
        found.append(
            MatrixView(store, fronts, rows, sum(a.covered for a in answers), len(answers), any(a.rank for a in answers))
        )
    return found


def locale_views(project: Project, findings: list[Finding], folder: Path) -> list[LocaleView]:
    """Return what a page in a folder shows of each locale."""
    thumbs, videos = _thumbs(project), _videos(project, folder)
    views = []
    for tag in project.app.locales:
        own = [f for f in findings if f.locale == tag and not f.waived]
        listings = [
            _listing(project, store, tag, [f for f in own if f.concerns(store.id)], thumbs, videos)
            for store in project.stores.values()
            if tag in store.locales
        ]
        direction = "rtl" if is_right_to_left(tag) else "ltr"
        views.append(LocaleView(tag, locale_name(tag), direction, listings, count_levels(own)))
    return views


def _thumbs(project: Project) -> dict[Path, str]:
    stores = project.stores.values()
    sets = [(store.id, name, tag) for store in stores for name in project.classes_of(store) for tag in store.locales]
    found = thumbs(project.root, [path for each in sets for path in _pictures(project, *each)])
    return {path: jpeg_address(data) for path, data in found.items()}


def _pictures(project: Project, store: str, name: str, tag: str) -> list[Path]:
    """Return the finished pictures of a set as they're handed over, in order."""
    files = set_files(store, name, tag, (shot.name for shot in project.shots_for(name, tag)))
    there = finished(project.root, files.values())
    rendered = {shot: there[file] for shot, file in files.items() if file in there}
    return handed_over(project.root, store, tag, name, rendered)


def _videos(project: Project, folder: Path) -> dict[str, VideoView]:
    """Return the finished videos, by their file in the project."""

    def address(path: Path) -> str:
        try:
            return quote(Path(os.path.relpath(path.resolve(), folder.resolve())).as_posix())
        except ValueError:
            # On another drive.
            return path.resolve().as_uri()

    return {
        file: VideoView(
            address(project.root / file), address(project.root / row.facts.poster), row.facts.width, row.facts.height
        )
        for file, row in read_video_records(project.root).items()
        if (project.root / file).is_file()
    }


def _listing(
    project: Project,
    store: Store,
    tag: str,
    findings: list[Finding],
    thumbs: dict[Path, str],
    videos: dict[str, VideoView],
) -> ListingView:
    rules = project.fields_of(store)
    fields = [_field(project, store, tag, key, rule, findings) for key, rule in rules.items()]
    text_of = {view.key: view.text for view in fields}
    head: dict[str, str] = {role: text_of.get(store.rulebook.field_with(role), "") for role in _HEAD_ROLES}
    sets = [
        SetView(
            name,
            [thumbs[path] for path in _pictures(project, store.id, name, tag) if path in thumbs],
            videos.get(video_file(store.id, name, tag)),
        )
        for name in project.classes_of(store)
    ]
    return ListingView(store.id, store.rulebook.store_code(tag), head, fields, sets, findings)


def _field(project: Project, store: Store, tag: str, key: str, rule: FieldRule, findings: list[Finding]) -> FieldView:
    value = project.value(store.id, tag, key)
    text = value.text(rule)
    levels = {f.level for f in findings if f.field == key}
    state = next(
        (level for level in ("error", "warning", "note") if level in levels), "fine" if value.written else "empty"
    )
    entries: Any = value.content if isinstance(value.content, list) else []
    return FieldView(
        key,
        rule.kind,
        text.strip(),
        entries,
        rule.length(text).measured,
        rule.max,
        state,
        project.requires(rule),
        value.inherited_from,
    )
