"""Read `video.toml`, and find the files that its scenes and its sound name."""

from pathlib import Path

from tavolan.errors import UsageError
from tavolan.languages.scripts import script
from tavolan.languages.tags import script_of
from tavolan.project.addresses import TITLES
from tavolan.project.caption_markup import plain
from tavolan.project.model import Project, Store
from tavolan.project.screens import ScreenIndex
from tavolan.project.video_schema import ReadingTable, SceneTable, VideoFile
from tavolan.video.clips import ENDINGS, FOLDER, SOUND_ENDINGS

VOICES = "voice"
# A voice of this name begins with the video.
WHOLE = "all"
# How long a shot is held, in seconds, where its scene doesn't say it.
USUAL_SECONDS = 3.0


def storyboard_of(project: Project) -> VideoFile:
    """Return the storyboard. Raises UsageError when there's none."""
    if project.video is None:
        raise UsageError("this project has no video.toml", "Begin one with: tavolan video new")
    return project.video


def clip_index(project: Project) -> ScreenIndex:
    """Return all clips of a project, listed once."""
    return ScreenIndex(project, FOLDER, ENDINGS)


def video_places(project: Project, store: Store, clips: ScreenIndex) -> dict[str, tuple[int, int]]:
    """Return the size classes that a store's videos are made for, with width and height in pixels.

    Those that the storyboard names; else all that the store takes, but for forms of device of which there's no clip.
    """
    video, rule = project.video, store.rulebook.video
    if video is None or rule is None:
        return {}
    chosen = project.classes_of(store)
    found = {name: size for name, size in rule.places.items() if name in chosen}
    if video.classes:
        return {name: size for name, size in found.items() if name in video.classes}
    needed = {scene.clip for scene in video.scene if scene.clip}
    forms = {
        project.forms.get(name, name.split("-")[0])
        for clip, places in clips.found.items()
        if clip in needed
        for _, name in places
    }
    return {name: size for name, size in found.items() if not needed or chosen[name].form in forms}


def title_of(project: Project, scene: SceneTable, locale: str) -> tuple[str, str]:
    """Return a scene's title and the locale it's in: the source locale's where the locale has none."""
    for tag in (locale, project.source_locale):
        value = project.copy[tag].entry(TITLES, scene.title_key)
        if scene.title_key and value.written:
            return str(value.content), tag
    return "", locale


def voice_files(project: Project, locale: str) -> dict[str, Path]:
    """Return the files of a locale's voice by scene, or of the locale that it's like: never another language's."""
    for tag in (locale, *project.parents_of(locale)):
        folder = project.root / VOICES / tag
        found = {path.stem: path for path in sorted(folder.glob("*")) if path.suffix.lower() in SOUND_ENDINGS}
        if found:
            return found
    return {}


def reading_seconds(text: str, locale: str, rules: ReadingTable) -> float:
    """Return how long a title must be there to be read.

    Speeds are words per minute, or characters where a script divides no words; see languages/scripts.toml.
    """
    code = script_of(locale)
    row = script(code)
    read = plain(text)
    units = sum(not letter.isspace() for letter in read) if row.unspaced else len(read.split())
    return rules.pause + units * 60 / rules.speeds.get(code, row.reading)


def clip_pieces(scene: SceneTable, seconds: float) -> tuple[tuple[float, float], ...]:
    """Return the pieces of a clip of so many seconds that a scene shows, in seconds of the clip."""
    if scene.ranges:
        return tuple((begin, end) for begin, end in scene.ranges)
    return ((scene.from_, seconds if scene.to is None else scene.to),)


def scene_seconds(scene: SceneTable, clip_seconds: float) -> float:
    """Return how long a scene is; `clip_seconds` is the length of its clip, if it shows one."""
    if scene.shot:
        return scene.seconds or USUAL_SECONDS
    return sum(end - begin for begin, end in clip_pieces(scene, clip_seconds)) / scene.speed


def title_seconds(scene: SceneTable, seconds: float, overlap: float) -> float:
    """Return how long a scene's title is there, of a scene that comes in over the last `overlap` seconds of another."""
    left = seconds - overlap - (scene.title_from or 0.0)
    return left if scene.title_seconds is None else min(left, scene.title_seconds)
