"""Actions for the preview video: a storyboard to begin, clips to record, videos to render."""

from collections.abc import Iterator

from tavolan.advice.action import Action, Gain
from tavolan.advice.situation import Situation
from tavolan.project.model import Project, Store
from tavolan.project.video_records import read_video_records, video_file
from tavolan.support.number_words import counted, some_of
from tavolan.video.storyboard import clip_index, video_places


def from_video(now: Situation) -> Iterator[Action]:
    """Yield the next step towards a preview video in all languages."""
    project = now.project
    stores = [store for store in project.stores.values() if store.rulebook.video]
    if not stores or not project.shots.shot:
        return
    if project.video is None:
        yield _begin(now, stores)
    elif lacking := _clips_to_record(project):
        yield _record(now, stores, lacking)
    else:
        yield from _render(now, stores)


def _gain(now: Situation, stores: list[Store]) -> Gain:
    return now.reach.of_share("video", now.reach.places([], {store.id for store in stores}))


def _begin(now: Situation, stores: list[Store]) -> Action:
    scenes = len(now.project.shots.shot)
    return Action(
        kind="video",
        what="Begin a preview video",
        why=f"{counted(scenes, 'shot')} with captions make its first scenes.",
        command="tavolan video new",
        gain=_gain(now, stores),
        minutes=now.minutes("video", scenes),
        promise="videos: 0 → one for each locale",
        stage=9,
    )


def _clips_to_record(project: Project) -> list[str]:
    there = clip_index(project).names()
    scenes = project.video.scene if project.video else []
    return [name for name in dict.fromkeys(scene.clip for scene in scenes if scene.clip) if name not in there]


def _record(now: Situation, stores: list[Store], lacking: list[str]) -> Action:
    return Action(
        kind="video",
        what=f"Record {counted(len(lacking), 'clip')}",
        why=f"video.toml shows {some_of(lacking, 4)}.",
        command="tavolan shots take FILES",
        gain=_gain(now, stores),
        minutes=now.minutes("video", len(lacking)),
        promise=f"clips to record: {len(lacking)} → 0",
        where="video.toml",
        stage=9,
        covers=now.ids_of("clip-missing"),
    )


def _render(now: Situation, stores: list[Store]) -> Iterator[Action]:
    project = now.project
    clips = clip_index(project)
    files = [
        (store.id, tag, video_file(store.id, name, tag))
        for store in stores
        for name in video_places(project, store, clips)
        for tag in store.locales
    ]
    old = {finding.path for finding in now.findings if finding.rule == "video-to-make"}
    made = read_video_records(project.root)
    todo = [each for each in files if each[2] in old or each[2] not in made or not (project.root / each[2]).is_file()]
    if not todo:
        return
    locales = list(dict.fromkeys(tag for _, tag, _ in todo))
    reached = now.reach.places(locales, {store for store, _, _ in todo})
    yield Action(
        kind="video",
        what=f"Render {counted(len(todo), 'video')} in {counted(len(locales), 'locale')}",
        why=f"{len(files) - len(todo)} of {len(files)} are up to date.",
        command="tavolan video render",
        gain=now.reach.of_share("video", reached, len(todo) / len(files)),
        minutes=now.minutes("video"),
        promise=f"videos to render: {len(todo)} → 0",
        stage=7,
        about=tuple(locales),
        covers=now.ids_of("video-to-make"),
    )
