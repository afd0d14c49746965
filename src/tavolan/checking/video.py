"""Checks of the preview video: its storyboard, its titles in every language, and the finished files."""

from collections.abc import Iterator

from tavolan.checking.findings import Finding, Location, Rule
from tavolan.checking.registry import check
from tavolan.checking.review import Review
from tavolan.checking.video_faults import BLACK, FLASHES, FROZEN, LOUD, SILENT, SLOW_START, UNFIT, unfit, watched_faults
from tavolan.errors import ProjectError, nearest
from tavolan.languages.tags import locale_name
from tavolan.project.addresses import TITLES
from tavolan.project.model import Project
from tavolan.project.picture_records import kept
from tavolan.project.screens import Screen
from tavolan.project.video_schema import SceneTable, VideoFile
from tavolan.rulebooks.model import SizeClass
from tavolan.support.number_words import some_of
from tavolan.video.clips import probe
from tavolan.video.placing import title_place
from tavolan.video.storyboard import (
    reading_seconds,
    scene_seconds,
    title_of,
    title_seconds,
    voice_files,
)
from tavolan.video.styles import OWN, TitleStyle, load_style, style_names

_MAKE = "Make it again: tavolan video render"


def _titled(project: Project) -> list[SceneTable]:
    """Return the scenes that have a title, in the source locale at least."""
    video = project.video or VideoFile()
    return [scene for scene in video.scene if title_of(project, scene, project.source_locale)[0]]


@check("video-title-missing", "warning")
def video_title_missing(review: Review, this: Rule) -> Iterator[Finding]:
    """A locale has no title of its own for a scene of the preview video, so the source locale's is shown."""
    project = review.project
    for scene in _titled(project):
        for tag in review.video_locales:
            if title_of(project, scene, tag)[1] == tag or project.copy[tag].entry(TITLES, scene.title_key).written:
                continue
            at = Location(locale=tag, field=f"{TITLES}.{scene.title_key}", path=project.copy[tag].source.shown)
            message = f"is missing in {locale_name(tag)}: the video shows that of {project.source_locale}"
            remedy = f"Write it under [{TITLES}], or have it drafted: tavolan locale draft {tag}"
            yield this.finding(at, message, remedy, level=review.missing_level)


@check("video-title-unused", "warning")
def video_title_unused(review: Review, this: Rule) -> Iterator[Finding]:
    """A title belongs to no scene of `video.toml`: nothing shows it. It's a note while there's no storyboard yet."""
    project = review.project
    scenes = project.video.scene if project.video else []
    used = {scene.title_key for scene in scenes}
    for tag, copy in project.copy.items():
        for name in copy.data.get(TITLES, {}):
            if name not in used:
                entry = copy.entry(TITLES, name)
                at = Location(locale=tag, field=f"{TITLES}.{name}", path=copy.source.shown, line=entry.line)
                remedy = nearest(name, used) or f'Add [[scene]] with name = "{name}" to video.toml.'
                yield this.finding(at, "belongs to no scene of video.toml", remedy, level=None if scenes else "note")


@check("video-title-short", "warning")
def video_title_short(review: Review, this: Rule) -> Iterator[Finding]:
    """A title of the preview video is gone before most people have read it.

    How long that takes depends on the script: words a minute, or characters where no spaces divide words. `[reading]`
    of `video.toml` sets other speeds.
    """
    project, video = review.project, review.project.video
    if video is None:
        return
    lengths = _clip_lengths(review)
    for number, scene in enumerate(video.scene):
        overlap = _overlap(video, number)
        for tag in review.video_locales:
            text, locale = title_of(project, scene, tag)
            length = lengths.get((scene.clip or "", tag), 0.0)
            if not text or (scene.clip and not length and scene.to is None and not scene.ranges):
                continue
            there = title_seconds(scene, scene_seconds(scene, length), overlap)
            needed = reading_seconds(text, locale, video.reading)
            if locale == tag and there + 0.05 < needed:
                entry = project.copy[tag].entry(TITLES, scene.title_key)
                at = Location(locale=tag, field=f"{TITLES}.{scene.title_key}", path=entry.source.shown, line=entry.line)
                message = f"is there for {there:.1f} s, and takes {needed:.1f} s to read"
                remedy = "Shorten it, or give it more time: title_seconds in video.toml."
                yield this.finding(at, message, remedy, subject=scene.name)


def _overlap(video: VideoFile, number: int) -> float:
    """Return over how many seconds a scene comes in."""
    scene = video.scene[number]
    if not number or (scene.transition or video.transition) == "cut":
        return 0.0
    return scene.transition_seconds or video.transition_seconds


def _clip_lengths(review: Review) -> dict[tuple[str, str], float]:
    """Return how long clips are of which a scene shows all that's left, by name and locale: the shortest of all."""
    video = review.project.video or VideoFile()
    wanted = {scene.clip for scene in video.scene if scene.clip and scene.to is None and not scene.ranges}
    found: dict[tuple[str, str], float] = {}
    for _, name, tag in review.video_places:
        for clip in sorted(wanted):
            place = review.clips.find(clip, tag, name)
            seconds = _seconds(review, place) if place else 0.0
            if seconds:
                found[clip, tag] = min(seconds, found.get((clip, tag), seconds))
    return found


def _seconds(review: Review, clip: Screen) -> float:
    """Return how long a clip is; 0 for one that can't be read, which another check says."""
    if clip.path not in review.clip_seconds:
        try:
            review.clip_seconds[clip.path] = probe(clip.path, clip.path.name).seconds
        except ProjectError:
            review.clip_seconds[clip.path] = 0.0
    return review.clip_seconds[clip.path]


@check("video-title-place", "warning")
def video_title_place(review: Review, this: Rule) -> Iterator[Finding]:
    """A title style of the project puts titles where a cut-out, a corner or a player's bar hides them.

    They're moved into the safe area: a margin of 4.5 % of the shorter side, and what a cut-out leaves. There they have
    less room than the style says, and are set smaller.
    """
    project, video = review.project, review.project.video or VideoFile()
    own = {name for name in style_names(project.root) if (project.root / OWN / f"{name}.toml").is_file()}
    styles = {scene.style or video.style for scene in video.scene if title_of(project, scene, project.source_locale)[0]}
    for name in sorted(styles & own):
        style = load_style(project.root, name)
        places: dict[str, None] = {}
        for store, place, _ in review.video_places:
            rule = store.rulebook.video
            if rule and place not in places and _is_cut(style, rule.places[place], store.rulebook.classes[place]):
                places[place] = None
        if places:
            at = Location(field=f"{TITLES}.{name}", path=f"{OWN}/{name}.toml")
            message = f"its box lies outside of the safe area of {some_of(list(places), 4)}"
            yield this.finding(at, message, "Move it inwards: box and wide are shares of the picture.")


def _is_cut(style: TitleStyle, size: tuple[int, int], size_class: SizeClass) -> bool:
    """Whether more than a fifth of a style's room for text lies outside of the safe area."""
    (_, _, wide, high), _, _ = title_place(style, size, None, size_class, False)
    whole, pad = style.wide if size[0] > size[1] else style.box, style.padding * (size[0] * size[1]) ** 0.5
    room = (whole[2] * size[0] - 2 * pad) * (whole[3] * size[1] - 2 * pad)
    return bool(wide * high < 0.8 * room)


@check("clip-missing", "error")
def clip_missing(review: Review, this: Rule) -> Iterator[Finding]:
    """A scene of the preview video has no clip, of no locale and size class that could lend one: it can't be made.

    It's a note while the project is being written, and as long as there are no clips at all.
    """
    project, video = review.project, review.project.video or VideoFile()
    known = review.clips.names()
    places = list(dict.fromkeys((name, tag) for _, name, tag in review.video_places))
    for number, scene in enumerate(video.scene):
        if scene.clip is None:
            continue
        lacking = list(dict.fromkeys(name for name, tag in places if not review.clips.find(scene.clip, tag, name)))
        if lacking or not known:
            source = project.video_source
            at = Location(field=f"scene.{scene.name}", path=source.shown, line=source.line(("scene", number)))
            message = f'has no clip "{scene.clip}"' + (f" for {', '.join(lacking)}" if lacking else "")
            near = f" {nearest(scene.clip, known)}" if known else ""
            remedy = f"Take it in: tavolan shots take FILE --name {scene.clip}.{near}"
            yield this.finding(at, message, remedy, level=review.missing_level or (None if known else "note"))


@check("clip-stands-in", "note")
def clip_stands_in(review: Review, this: Rule) -> Iterator[Finding]:
    """Some videos show clips of the source locale, since there are none of their own: visitors see a foreign app."""
    project, video = review.project, review.project.video or VideoFile()
    lent: dict[str, None] = {}
    for _, name, tag in review.video_places:
        for scene in video.scene:
            clip = review.clips.find(scene.clip, tag, name) if scene.clip else None
            if clip and not clip.exact:
                lent[tag] = None
    if lent:
        source = project.video_source
        message = f"the videos of {len(lent)} locales show clips of {project.source_locale}: {some_of(list(lent), 8)}"
        remedy = "Record them in those languages: tavolan shots take FILES --locale TAG"
        at = Location(field="clips", path=source.shown, line=source.line(("scene",)))
        yield this.finding(at, message, remedy, measured=len(lent), limit=0, unit="locales")


@check("voice-missing", "warning")
def voice_missing(review: Review, this: Rule) -> Iterator[Finding]:
    """Some locales' videos have a spoken voice and others have none, or lack a scene's."""
    project = review.project
    if project.video is None or project.video.sound.off:
        return
    voices = {tag: set(voice_files(project, tag)) for tag in review.video_locales}
    most = max(voices.values(), key=len, default=set())
    for tag, found in voices.items():
        if gone := sorted(most - found):
            at = Location(locale=tag, field="voice", path=f"voice/{tag}")
            message = f"lacks the voice of {', '.join(gone)}, which other locales have"
            yield this.finding(at, message, f"Record it: voice/{tag}/{gone[0]}.wav", level=review.missing_level)


@check("video-to-make", "warning")
def video_to_make(review: Review, this: Rule) -> Iterator[Finding]:
    """A finished preview video shows titles that have changed since, or isn't the file that was made."""
    project, video = review.project, review.project.video or VideoFile()
    for row, store, name, tag in review.finished_videos:
        texts = {scene.name: title_of(project, scene, tag)[0] for scene in video.scene}
        old = [scene for scene, text in texts.items() if kept(text) != row.inputs.get(f"text of title {scene}")]
        parts = [f"shows earlier titles of {', '.join(old)}"] if old else []
        parts += [] if row.is_untouched(project.root) else ["was changed since it was made"]
        if parts:
            at = Location(store=store.id, locale=tag, field=f"video.{name}", path=row.path)
            yield this.finding(at, "; ".join(parts), _MAKE, measured=len(old))


@check(UNFIT.id, UNFIT.level)
def video_unfit(review: Review, this: Rule) -> Iterator[Finding]:
    """A preview video isn't as the store takes it: size, length, rate, codecs, sound, megabytes, still picture."""
    for row, store, name, tag in review.finished_videos:
        rule = store.rulebook.video
        faults = list(unfit(row.facts, rule, store.id, name)) if rule else []
        if rule and rule.poster and not (review.project.root / row.facts.poster).is_file():
            faults.append("has no still picture")
        for fault in faults:
            remedy = "Change its scenes in video.toml." if " s long" in fault else _MAKE
            at = Location(store=store.id, locale=tag, field=f"video.{name}", path=row.path)
            yield this.finding(at, fault, remedy, subject=f"{name} {fault}")


def _watched(review: Review, this: Rule) -> Iterator[Finding]:
    """Yield findings of one rule about what's seen and heard in the finished videos."""
    loudness = review.project.video.sound.loudness if review.project.video else None
    for row, store, name, tag in review.finished_videos:
        for rule, message, remedy in watched_faults(row.facts, loudness):
            if rule.id == this.id:
                at = Location(store=store.id, locale=tag, field=f"video.{name}", path=row.path)
                yield this.finding(at, message, remedy, subject=name)


@check(FLASHES.id, FLASHES.level)
def video_flashes(review: Review, this: Rule) -> Iterator[Finding]:
    """A preview video flashes more than three times a second over a large part of it.

    That can cause seizures (WCAG 2.2, success criterion 2.3.1).
    """
    yield from _watched(review, this)


@check(SLOW_START.id, SLOW_START.level)
def video_slow_start(review: Review, this: Rule) -> Iterator[Finding]:
    """A preview video has what a player needs at its end, so that visitors wait until all of it is there."""
    yield from _watched(review, this)


@check(BLACK.id, BLACK.level)
def video_black(review: Review, this: Rule) -> Iterator[Finding]:
    """A preview video is black for half a second or more: it looks as if it were broken."""
    yield from _watched(review, this)


@check(FROZEN.id, FROZEN.level)
def video_frozen(review: Review, this: Rule) -> Iterator[Finding]:
    """Nothing moves in a preview video for five seconds or more: it looks as if it had stopped."""
    yield from _watched(review, this)


@check(SILENT.id, SILENT.level)
def video_silent(review: Review, this: Rule) -> Iterator[Finding]:
    """A preview video with sound is silent for two seconds or more: it sounds as if it had stopped."""
    yield from _watched(review, this)


@check(LOUD.id, LOUD.level)
def video_loudness(review: Review, this: Rule) -> Iterator[Finding]:
    """A preview video isn't as loud as `video.toml` asks for (EBU R 128), or its peaks are distorted by players."""
    yield from _watched(review, this)


@check("video-link", "note")
def video_link(review: Review, this: Rule) -> Iterator[Finding]:
    """A preview video is made for a store that plays one published elsewhere, and its address isn't written."""
    project = review.project
    for _, store, _, tag in review.finished_videos:
        field = store.rulebook.video.hosted_by if store.rulebook.video else ""
        if field and not project.value(store.id, tag, field).written:
            value = project.value(store.id, tag, field)
            at = Location(store=store.id, locale=tag, field=field, path=value.source.shown, line=value.line)
            yield this.finding(at, "is empty, and there's a video for it", "Publish the video, then write its address.")
