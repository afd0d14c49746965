"""The shape of `video.toml`: the scenes of the preview video in order, their titles, and the sound.

Times are in seconds, levels in decibels.
"""

from typing import Annotated, Any, Literal, Self

from pydantic import AfterValidator, Field, model_validator

from tavolan.errors import FaultError
from tavolan.project.schema import Finish, Name, PalettePatch, Region
from tavolan.project.table import Table
from tavolan.support.safe_names import ProjectFile

Seconds = Annotated[float, Field(ge=0, le=36_000)]
Fit = Literal["whole", "framed", "zoomed"]
Transition = Literal["cut", "fade", "slide"]
TextKey = Annotated[str, Field(pattern=r"^[a-z0-9][a-z0-9_-]*$|^$")]


def _range(value: list[float]) -> list[float]:
    if value[1] <= value[0]:
        raise FaultError("ends before it begins", "Write where it begins, then where it ends, in seconds.")
    return value


Range = Annotated[list[Seconds], Field(min_length=2, max_length=2), AfterValidator(_range)]


class SceneTable(Table):
    """`[[scene]]`: a piece of a clip, or a shot of shots.toml held still.

    `from` and `to` say which piece of the clip; `ranges` are several pieces, one after the other. `seconds` is how long
    a shot stays. `fit`: the whole screen, in a device on the background of a look, or zoomed from `start_region` to
    `region` (the whole screen where one of them isn't given). `title` is a key under `[titles]` of the copy files; the
    scene's name where it's left out, and "" for none. It's there from `title_from` on, for `title_seconds`; for the
    rest of the scene where that isn't given. `sound` keeps the clip's own sound.
    """

    name: Name
    clip: Name | None = None
    shot: Name | None = None
    from_: Seconds = Field(0.0, alias="from")
    to: Seconds | None = None
    ranges: list[Range] = []
    speed: float = Field(1.0, ge=0.1, le=20)
    seconds: Annotated[float, Field(gt=0, le=600)] | None = None
    fit: Fit | None = None
    look: Name | None = None
    frame: Finish | None = None
    palette: PalettePatch = PalettePatch()
    region: Region | None = None
    regions: dict[str, Region] = {}
    start_region: Region | None = None
    transition: Transition | None = None
    transition_seconds: Annotated[float, Field(gt=0, le=5)] | None = None
    title: TextKey | None = None
    style: Name | None = None
    title_from: Seconds | None = None
    title_seconds: Annotated[float, Field(gt=0, le=600)] | None = None
    sound: bool = False

    @property
    def title_key(self) -> str:
        """The key of its title under `[titles]`; "" when it's meant to have none."""
        return self.name if self.title is None else self.title

    @model_validator(mode="after")
    def _one_source(self) -> Self:
        if bool(self.clip) == bool(self.shot):
            raise FaultError("needs a clip or a shot, one of them", 'Write clip = "…" or shot = "…".')
        clip_only = {"ranges": self.ranges, "from": self.from_, "to": self.to, "sound": self.sound}
        if self.shot and (given := [key for key, value in clip_only.items() if value]):
            raise FaultError(f"shows a shot, which has no {given[0]}", "Write seconds: how long it stays.")
        if self.ranges and (self.from_ or self.to is not None):
            raise FaultError("has ranges beside from or to", "Write either.")
        if self.to is not None and self.to <= self.from_:
            raise FaultError("ends before it begins", "Write from, then to, in seconds of the clip.")
        return self


class SoundTable(Table):
    """`[sound]`: music under the voice. `music` is a file under art/, begun at `music_start`.

    `duck` is how far the music goes down under the voice. `loudness` is the integrated loudness of the whole in LUFS
    (EBU R 128), `peak` the highest true peak in dBTP. Voices are files under voice/<locale>/: one named like a scene
    begins with it, `all` begins with the video.
    """

    music: ProjectFile = ""
    music_start: Seconds = 0.0
    music_level: float = Field(-10.0, ge=-60, le=12)
    voice_level: float = Field(0.0, ge=-60, le=12)
    voice_delay: Seconds = 0.3
    clip_level: float = Field(-12.0, ge=-60, le=12)
    duck: float = Field(15.0, ge=0, le=60)
    loudness: float = Field(-16.0, ge=-40, le=-5)
    peak: float = Field(-1.5, ge=-12, le=0)
    fade_in: Seconds = 0.2
    fade_out: Seconds = 1.2
    off: bool = False


class ReadingTable(Table):
    """`[reading]`: how fast titles are read, by script (ISO 15924): words per minute; characters, where none divides
    words with spaces. `pause` is what's added before reading begins.
    """

    speeds: dict[str, Annotated[float, Field(gt=0, le=2000)]] = {}
    pause: float = Field(0.4, ge=0, le=5)


class VideoFile(Table):
    """The whole of `video.toml`. `poster` is the time of the still picture that stores show first."""

    classes: list[str] = []
    fit: Fit = "whole"
    look: Name | None = None
    frame: Finish = "dark"
    transition: Transition = "cut"
    transition_seconds: float = Field(0.4, gt=0, le=5)
    style: Name = "below"
    poster: Seconds = 1.0
    sound: SoundTable = SoundTable()
    reading: ReadingTable = ReadingTable()
    scene: list[SceneTable] = Field([], max_length=60)

    @model_validator(mode="before")
    @classmethod
    def _named_once(cls, data: Any) -> Any:
        scenes = data.get("scene") if isinstance(data, dict) else None
        names = [scene.get("name") for scene in scenes if isinstance(scene, dict)] if isinstance(scenes, list) else []
        for name in names:
            if isinstance(name, str) and names.count(name) > 1:
                raise FaultError(f'has two scenes named "{name}"', "Rename one.")
        return data
