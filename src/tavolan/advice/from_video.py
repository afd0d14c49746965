"""Actions for the preview video: a storyboard to begin, clips to record, videos to render."""

from collections.abc import Iterator

from tavolan.advice.action import Action
from tavolan.advice.situation import Situation
from tavolan.project.video_records import read_video_records, video_file
from tavolan.support.number_words import counted, some_of
from tavolan.video.storyboard import clip_index, video_places


def from_video(now: Situation) -> Iterator[Action]:
    """Yield the next step towards a preview video in all languages."""
    project = now.project
    stores = [store for store in project.stores.values() if store.rulebook.video]
    if not stores or not project.shots.shot:
        return
    places = now.reach.places([], {store.id for store in stores})
    gain = now.reach.of_share("video", places)
    if project.video is None:
        scenes = len(project.shots.shot)
        yield Action(
            "video",
            "Begin a preview video",
            f"{counted(scenes, 'shot')} with captions make its first scenes.",
            "tavolan video new",
            gain,
            now.minutes("video", scenes),
            "videos: 0 → one for each locale",
            stage=9,
        )
        return
    clips = clip_index(project)
    lacking = [
        name
        for name in dict.fromkeys(scene.clip for scene in project.video.scene if scene.clip)
        if name not in clips.names()
    ]
    if lacking:
        now.settled |= {one.id for one in now.findings if one.rule == "clip-missing"}
        yield Action(
            "video",
            f"Record {counted(len(lacking), 'clip')}",
            f"video.toml shows {some_of(lacking, 4)}.",
            "tavolan video take FILES",
            gain,
            now.minutes("video", len(lacking)),
            f"clips to record: {len(lacking)} → 0",
            where="video.toml",
            stage=9,
        )
        return
    files = [
        (store.id, tag, video_file(store.id, name, tag))
        for store in stores
        for name in video_places(project, store, clips)
        for tag in store.locales
    ]
    old = {one.path for one in now.findings if one.rule == "video-to-make"}
    made = read_video_records(project.root)
    todo = [each for each in files if each[2] in old or each[2] not in made or not (project.root / each[2]).is_file()]
    if todo:
        now.settled |= {one.id for one in now.findings if one.rule == "video-to-make"}
        locales = list(dict.fromkeys(tag for _, tag, _ in todo))
        reached = now.reach.places(locales, {store for store, _, _ in todo})
        yield Action(
            "video",
            f"Render {counted(len(todo), 'video')} in {counted(len(locales), 'locale')}",
            f"{len(files) - len(todo)} of {len(files)} are up to date.",
            "tavolan video render",
            now.reach.of_share("video", reached, len(todo) / len(files)),
            now.minutes("video"),
            f"videos to render: {len(todo)} → 0",
            stage=7,
            about=tuple(locales),
        )
