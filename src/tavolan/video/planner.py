"""Plan videos: from storyboard and selection to jobs, with every problem reported before a frame is painted."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace
from pathlib import Path

from tavolan.errors import Problem, ProjectError, UnknownNameError
from tavolan.languages.tags import is_right_to_left
from tavolan.pictures.design.look import Span, place_words
from tavolan.pictures.design.setting import Setting
from tavolan.pictures.making.job import Job, Output, ScreenUse, Target
from tavolan.pictures.making.ledger import Ledger
from tavolan.pictures.making.planner import Planner, Selection
from tavolan.project.addresses import TITLES
from tavolan.project.model import Project, Store
from tavolan.project.video_records import video_file
from tavolan.project.video_schema import SceneTable
from tavolan.rulebooks.model import SizeClass, Video
from tavolan.video.clips import FOLDER, ClipFacts, probe
from tavolan.video.drawing_version import video_version
from tavolan.video.placing import title_place, view_of
from tavolan.video.plan import ClipUse, Scene, Title, VideoJob, VideoTarget
from tavolan.video.sound_plan import SoundPlanner
from tavolan.video.storyboard import clip_index, clip_pieces, scene_seconds, storyboard_of, title_of, video_places
from tavolan.video.styles import TitleStyle, load_style
from tavolan.video.title_sizes import fitted_titles

# Where a store doesn't say how many frames a second it wants.
_USUAL_RATE = 30
# A clip of other proportions fills the picture as long as no more than this share of it is cut off.
_MOST_CROPPED = 0.06
# Below this many frames a scene is a flash.
_LEAST_FRAMES = 6


@dataclass(frozen=True)
class _Place:
    """Where a video goes: store, size class, locale; its size in pixels and its frames a second."""

    store: Store
    name: str
    size_class: SizeClass
    size: tuple[int, int]
    rate: int
    tag: str


def _target(place: _Place, scene: str) -> Target:
    return Target("", "shot", place.store.id, place.name, place.tag, 0, scene)


def _mirrored(region: list[float]) -> list[float]:
    x, y, wide, high = region
    return [1 - x - wide, y, wide, high]


def _cropped(source: tuple[int, int], size: tuple[int, int]) -> float:
    """Return which share of a source is cut off when it fills a picture of a size."""
    one, other = source[0] * size[1], source[1] * size[0]
    return 1 - min(one, other) / max(one, other)


class VideoPlanner:
    """Turns a selection into jobs; collects every problem in `problems`."""

    def __init__(self, project: Project, ledger: Ledger | None = None) -> None:
        self.project = project
        self.video, self.source = storyboard_of(project), project.video_source
        self._owns_ledger = ledger is None
        self.pictures = Planner(project, ledger)
        self.ledger = self.pictures.ledger
        self.problems: list[Problem] = self.pictures.problems
        self.index = clip_index(project)
        self.sounds = SoundPlanner(project, self.video, self.source, self.ledger, self.problems)
        self._facts: dict[str, ClipFacts | None] = {}
        self._styles: dict[str, TitleStyle] = {}

    def jobs(self, selection: Selection) -> list[VideoJob]:
        """Return all jobs in the order: store, size class, locale. Raises ProjectError with all problems."""
        jobs = self.possible(selection)
        if self.problems:
            raise ProjectError(self.problems)
        return jobs

    def possible(self, selection: Selection) -> list[VideoJob]:
        """Return the jobs that can be planned; what's wrong with the others is in `problems`."""
        try:
            return self._planned(selection)
        finally:
            if self._owns_ledger:
                self.ledger.close()

    def _planned(self, selection: Selection) -> list[VideoJob]:
        if not self.video.scene:
            self._problem((), "scene", "has no scene", "Write one, or let tavolan video new write them.")
            return []
        if (known := self._known_classes()) and (strange := set(self.video.classes) - set(known)):
            self._problem(
                ("classes",),
                "classes",
                f'names the size class "{min(strange)}", which no store here has a video for',
                f"Known here: {', '.join(known)}.",
            )
            return []
        jobs = []
        for store, name, size in self._places(selection):
            for tag in self.project.pick("--locale", list(selection.locales), self.project.app.locales):
                if tag in store.locales and (job := self._job(store, name, size, tag)):
                    jobs.append(job)
        return jobs

    def _known_classes(self) -> list[str]:
        rules = (store.rulebook.video for store in self.project.stores.values())
        return list(dict.fromkeys(name for rule in rules if rule for name in rule.places))

    def _places(self, selection: Selection) -> Iterator[tuple[Store, str, tuple[int, int]]]:
        project = self.project
        stores = project.pick("--store", list(selection.stores), list(project.stores))
        places = {name: video_places(project, project.stores[name], self.index) for name in stores}
        known = list(dict.fromkeys(name for found in places.values() for name in found))
        names = project.pick("--device", list(selection.classes), known)
        for store_id, found in places.items():
            for name, size in found.items():
                if name in names:
                    yield project.stores[store_id], name, size

    def _job(self, store: Store, name: str, size: tuple[int, int], tag: str) -> VideoJob | None:
        rule = store.rulebook.video or Video()
        rate = rule.frames_per_second or _USUAL_RATE
        place = _Place(store, name, store.rulebook.classes[name], size, rate, tag)
        scenes: list[Scene] = []
        for number, table in enumerate(self.video.scene):
            if scene := self._scene(place, number, table, scenes[-1] if scenes else None):
                scenes.append(scene)
        # Where a scene is missing, the titles and sounds of the others are looked at too: all faults are said at once.
        titled = fitted_titles(self.pictures.fitter.setters, scenes, size, self._title_problem)
        if not titled:
            return None
        target = VideoTarget(video_file(store.id, name, tag), store.id, name, tag)
        job = VideoJob(
            target=target,
            size=size,
            rate=rate,
            most_bytes=round((rule.max_megabytes or 0) * 1_000_000),
            scenes=tuple(titled),
            sound=None,
            poster=0,
            tool=self.pictures.fonts + video_version(),
        )
        poster = min(round(self.video.poster * rate), job.frames - 1)
        sound = self.sounds.plan(job, {table.name: table for table in self.video.scene}) if rule.sound_codecs else None
        if len(scenes) < len(self.video.scene):
            return None
        return replace(job, poster=max(0, poster), sound=sound)

    def _scene(self, place: _Place, number: int, table: SceneTable, before: Scene | None) -> Scene | None:
        """Return a scene of a video; None where something of it can't be used."""
        clip, facts = self._clip(place, number, table) if table.clip else (None, None)
        if table.clip and (clip is None or facts is None):
            return None
        fit = table.fit or self.video.fit
        if clip and fit == "whole" and _cropped(clip.size, place.size) > _MOST_CROPPED:
            fit = "framed"
        picture = self._framed(place, number, table, clip) if clip and fit == "framed" else None
        if table.shot:
            picture = self._still(place, number, table, zoomed=fit == "zoomed")
        if picture is None and (table.shot or fit == "framed"):
            return None
        source_size = clip.size if clip else place.size
        region = table.regions.get(place.name) or table.regions.get(place.size_class.form) or table.region
        source_tag = clip.locale if clip else place.tag
        regions = [
            _mirrored(each) if each and is_right_to_left(source_tag) else each for each in (table.start_region, region)
        ]
        view = view_of(source_size, place.size, *regions) if fit == "zoomed" else None
        seconds = scene_seconds(table, facts.seconds if facts else 0.0)
        frames = round(seconds * place.rate)
        if frames < _LEAST_FRAMES:
            self._problem(
                ("scene", number),
                f"scene.{table.name}",
                f"is only {frames} frames long",
                "Show more of it, or leave it out.",
            )
            return None
        transition = table.transition or self.video.transition
        overlap = 0
        if before and transition != "cut":
            wanted = table.transition_seconds or self.video.transition_seconds
            # A scene is seen by itself too: two transitions never meet.
            overlap = min(round(wanted * place.rate), before.frames // 2, frames // 2)
        scene = Scene(
            name=table.name,
            frames=frames,
            clip=clip,
            picture=picture,
            view=view,
            transition=transition if overlap else "cut",
            overlap=overlap,
            mirrored=is_right_to_left(place.tag),
        )
        return replace(scene, title=self._title(place, number, table, scene, fit))

    def _clip(self, place: _Place, number: int, table: SceneTable) -> tuple[ClipUse | None, ClipFacts | None]:
        key = ("scene", number, "clip")
        found = self.index.find(table.clip or "", place.tag, place.name)
        if found is None:
            wanted = f"{FOLDER}/{self.project.source_locale}/{place.name}/{table.clip}.mp4"
            self._problem(
                key,
                f"scene.{table.name}",
                f'needs the clip "{table.clip}": {wanted} is missing',
                f"Add it, or a {place.size_class.form} clip of another size class.",
            )
            return None, None
        shown = found.path.relative_to(self.project.root).as_posix()
        facts = self._facts_of(found.path, shown)
        if facts is None:
            return None, None
        pieces = self._pieces(table, number, facts, shown)
        if not pieces:
            return None, None
        use = ClipUse(
            path=shown,
            digest=self.ledger.digest(shown),
            size=(facts.width, facts.height),
            locale=found.locale,
            size_class=found.size_class,
            exact=found.exact,
            pieces=pieces,
            speed=table.speed,
        )
        return use, facts

    def _facts_of(self, path: Path, shown: str) -> ClipFacts | None:
        if shown not in self._facts:
            try:
                self._facts[shown] = probe(path, shown)
            except ProjectError as error:
                self.problems += [problem for problem in error.problems if problem not in self.problems]
                self._facts[shown] = None
        return self._facts[shown]

    def _pieces(
        self, table: SceneTable, number: int, facts: ClipFacts, shown: str
    ) -> tuple[tuple[float, float], ...] | None:
        """Return the pieces of a clip that a scene shows, in seconds; None where the clip is too short."""
        tolerance = 1.5 / facts.rate
        pieces = clip_pieces(table, facts.seconds)
        for begin, end in pieces:
            if end > facts.seconds + tolerance or begin >= facts.seconds:
                self._problem(
                    ("scene", number),
                    f"scene.{table.name}",
                    f"shows {shown} from {begin:g} to {end:g} s, but it's {facts.seconds:.2f} s long",
                    "Show an earlier part of it.",
                )
                return None
        return tuple((begin, min(end, facts.seconds)) for begin, end in pieces)

    def _framed(self, place: _Place, number: int, table: SceneTable, clip: ClipUse | None) -> Job | None:
        """Return the picture that a clip is framed by: a device on the background of a look."""
        assert clip is not None
        shots = self.project.shots
        aspect = clip.size[1] / clip.size[0]
        words = frozenset(place_words(place.size, place.size_class.form, place.name, aspect) | {"odd"})
        look = self.pictures.look(table.look or self.video.look or shots.look, words)
        own = {key: device for key, device in look.device.items() if device.screen == "own"}
        if len(own) != 1 or (look.background.kind == "picture" and not look.background.picture.file):
            self._problem(
                ("scene", number),
                f"scene.{table.name}",
                f"can't be framed by the look {look.name}, which doesn't show one device on a background",
                "Choose another look.",
            )
            return None
        look = look.model_copy(update={"device": own, "card": {}, "badge": None})
        photo = self.pictures.art(look.background.picture.file, "look") if look.background.kind == "picture" else None
        screen = ScreenUse("own", clip.path, "", clip.size, clip.locale, clip.size_class, clip.exact)
        finish = table.frame or self.video.frame
        mirrored = is_right_to_left(place.tag)
        return Job(
            target=_target(place, table.name),
            setting=Setting(
                place.size, place.size_class.form, finish, place.size_class.cutout, (("own", aspect),), mirrored
            ),
            output=Output("png", 0),
            look=look,
            span=Span(),
            colours=self.pictures.palette(table.palette),
            screens=(screen,),
            caption="",
            caption_locale=place.tag,
            region=None,
            photo=photo,
            icon=None,
            fonts="",
            tool=video_version(),
        )

    def _still(self, place: _Place, number: int, table: SceneTable, zoomed: bool) -> Job | None:
        """Return the picture of a shot at the video's size; without its caption where it moves or has a title.

        One that's zoomed is painted larger, so that nothing of it gets soft.
        """
        # Also of shots that the store has no room for among its pictures.
        shots = self.project.ordered_shots(place.name)
        slot = next((slot for slot in self.pictures.slots(shots) if slot.shot.name == table.shot), None)
        if slot is None:
            known = [shot.name for shot in shots]
            error = UnknownNameError(f"there's no shot for {place.name}", table.shot or "", known)
            self._problem(("scene", number, "shot"), f"scene.{table.name}", str(error), "")
            return None
        width, height = place.size
        size = (width * 3 // 4 * 2, height * 3 // 4 * 2) if zoomed else place.size
        job = self.pictures.shot(place.store, place.name, place.size_class, place.tag, slot, size)
        if job is None:
            return None
        job = replace(job, target=_target(place, table.name), output=Output("png", 0))
        # What's written on a picture that moves would be cut off.
        if zoomed or title_of(self.project, table, place.tag)[0]:
            return replace(job, caption="")
        return self.pictures.fitter.set_of(place.tag, [job])[0]

    def _title(self, place: _Place, number: int, table: SceneTable, scene: Scene, fit: str) -> Title | None:
        text, tag = title_of(self.project, table, place.tag)
        if not text:
            return None
        name = table.style or self.video.style
        style = self._style(name, number)
        first = round((table.title_from or 0.0) * place.rate) + scene.overlap
        last = scene.frames if table.title_seconds is None else first + round(table.title_seconds * place.rate)
        frames = min(last, scene.frames) - first
        if frames < _LEAST_FRAMES:
            self._problem(
                ("scene", number),
                f"scene.{table.name}",
                "has a title that begins when it's nearly over",
                "Let title_from be earlier.",
            )
            return None
        framed = scene.picture if fit != "zoomed" else None
        box, panel, in_look = title_place(style, place.size, framed, place.size_class, is_right_to_left(place.tag))
        return Title(
            text=text,
            locale=tag,
            style_name=name,
            style=style,
            box=box,
            panel=panel,
            in_look=in_look,
            mirrored=is_right_to_left(place.tag),
            colours=self.pictures.palette(table.palette),
            first=first,
            frames=frames,
            stays=first + frames == scene.frames,
        )

    def _style(self, name: str, number: int) -> TitleStyle:
        """Return a style; for one that can't be read a shipped one, so that all other problems are found too."""
        if name not in self._styles:
            try:
                self._styles[name] = load_style(self.project.root, name)
            except UnknownNameError as error:
                self._problem(("scene", number, "style"), "style", str(error), "")
                self._styles[name] = load_style(self.project.root, "below")
            except ProjectError as error:
                self.problems += error.problems
                self._styles[name] = load_style(Path(), "below")
        return self._styles[name]

    def _title_problem(self, title: Title, scene: str, message: str, remedy: str) -> None:
        key = next(table.title_key for table in self.video.scene if table.name == scene)
        value = self.project.copy[title.locale].entry(TITLES, key)
        problem = Problem(value.source.shown, value.line, f"{TITLES}.{key}", message, remedy)
        if problem not in self.problems:
            self.problems.append(problem)

    def _problem(self, key: tuple[str | int, ...], where: str, message: str, remedy: str) -> None:
        problem = Problem(self.source.shown, self.source.line(key), where, message, remedy)
        if problem not in self.problems:
            self.problems.append(problem)
