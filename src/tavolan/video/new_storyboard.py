"""Write a storyboard from the shots: one scene per caption, commented, with the captions as the first titles."""

from tavolan.errors import UsageError
from tavolan.project.addresses import TITLES
from tavolan.project.load import load_project
from tavolan.project.model import Project
from tavolan.project.text_writing import TextWriter
from tavolan.project.texts import TextChange, Texts
from tavolan.project.translation_progress import is_drafted
from tavolan.support.files import write_text
from tavolan.support.transaction import changing
from tavolan.video.storyboard import clip_index

FILE = "video.toml"
_HEAD = """\
#:schema ./schemas/video.json
# The preview video: its scenes in order. Titles are in copy/<locale>.toml under [titles]; {emphasised} words stand out.
# docs/video.md says what each key means.
transition = "fade"            # how scenes come in: cut, fade, slide
style = "{style}"
poster = 1.5                   # seconds: the still picture that stores show first

[sound]
# music = "art/music.wav"      # goes down while a voice speaks
# Voices: voice/<locale>/<scene>.wav begin with their scenes, voice/<locale>/all.wav with the video.
"""
_CLIP = """
[[scene]]
name = "{name}"
clip = "{clip}"
# from = 0.0                   # which part of the clip, in seconds
# to = 4.0                     # or several: ranges = [[0.5, 2.0], [4.0, 6.0]]
# fit = "framed"               # whole, framed (in a device), zoomed (slowly to region = [x, y, width, height])
"""
_SHOT = """
[[scene]]
name = "{name}"
shot = "{name}"                # held still; a recording is livelier: clip = "{name}", after tavolan shots take
seconds = {seconds:g}
fit = "zoomed"                 # slowly nearer
"""


def plan_storyboard(project: Project) -> tuple[str, list[TextChange]]:
    """Return the text of a storyboard, and the titles to write: of each caption its first line, in every language.

    Raises UsageError when there's a storyboard already, or nothing to make scenes from.
    """
    if project.video is not None:
        raise UsageError(f"this project has a {FILE} already", "Nothing was written; edit it, or move it away.")
    shots = [shot for shot in project.shots.shot if shot.caption_key]
    if not shots:
        raise UsageError("there are no shots with captions to make scenes from", "Describe some in shots.toml first.")
    clips = clip_index(project).names()
    # Stores take clips of 15 to 30 seconds; transitions take a little of each scene.
    seconds = max(3.0, round((16 + 0.4 * len(shots)) / len(shots) + 0.05, 1))
    parts = [_HEAD.format(style="below", emphasised="*emphasised*")]
    for shot in shots:
        clip = next((name for name in (shot.name, shot.screen) if name in clips), "")
        body = _CLIP if clip else _SHOT
        parts.append(body.format(name=shot.name, clip=clip, seconds=seconds))
    return "".join(parts), list(_titles(project, [(shot.name, shot.caption_key) for shot in shots]))


def _titles(project: Project, names: list[tuple[str, str]]) -> list[TextChange]:
    texts, changes = Texts(project), []
    for tag, copy in project.copy.items():
        for name, caption in names:
            own = copy.data.get("captions", {}).get(caption, "")
            before = texts.get(tag, f"{TITLES}.{name}")
            if own.strip() and not before:
                changes.append(TextChange(tag, f"{TITLES}.{name}", "", own.strip().partition("\n")[0]))
    return changes


def write_storyboard(project: Project, text: str, titles: list[TextChange]) -> None:
    """Write a planned storyboard and its titles, as one change. Titles from captions that are drafts are drafts too."""
    texts = Texts(project)
    captions = {f"{TITLES}.{shot.name}": f"captions.{shot.caption_key}" for shot in project.shots.shot}
    drafts = [change for change in titles if is_drafted(texts, change.locale, captions[change.address])]
    with changing(project.root):
        write_text(project.root / FILE, text)
        TextWriter(texts).write([change for change in titles if change not in drafts])
        # Their sources are among those that were just written.
        TextWriter(Texts(load_project(project.root))).write(drafts, "drafted")
