"""Plan pictures: from project and selection to jobs, with every problem reported before a single picture is painted."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from pathlib import Path

from tavolan.errors import Problem, ProjectError, UsageError
from tavolan.languages.tags import is_right_to_left
from tavolan.pictures.design.colour import Colours, resolve
from tavolan.pictures.design.look import Look, Shares, Span, built_in_look, load_look, place_words
from tavolan.pictures.design.setting import Setting
from tavolan.pictures.making.caption_sizes import Fitter
from tavolan.pictures.making.drawing_version import drawing_version
from tavolan.pictures.making.job import File, Job, Output, ScreenUse, Target
from tavolan.pictures.making.ledger import Ledger
from tavolan.pictures.making.retouch_plan import Retoucher
from tavolan.pictures.text.fonts import fonts_version, own_font_files
from tavolan.project.model import ICON, Project, Store
from tavolan.project.picture_records import digest_of, graphic_file, shot_file
from tavolan.project.schema import PalettePatch, Picture, Shot, Shots
from tavolan.project.screens import ScreenIndex
from tavolan.rulebooks.model import Graphic, SizeClass
from tavolan.support.image_headers import image_facts


@dataclass(frozen=True)
class Selection:
    """What to make; empty means all. `graphics` are named like shots: `--shot feature`."""

    stores: tuple[str, ...] = ()
    locales: tuple[str, ...] = ()
    classes: tuple[str, ...] = ()
    shots: tuple[str, ...] = ()

    @property
    def everything(self) -> bool:
        """Whether nothing is left out."""
        return not (self.stores or self.locales or self.classes or self.shots)


@dataclass(frozen=True)
class Slot:
    """A shot's place among its neighbours: the run that shares its background, and its half of a shared device."""

    shot: Shot
    number: int
    look: str
    run: Span
    leader: Shot
    pair: str
    screen: Shot


@dataclass(frozen=True)
class _Wanted:
    """A picture that shots.toml asks for, and the size class whose screens it shows; `slot` is None for a graphic."""

    picture: Picture
    look: str
    words: frozenset[str]
    class_name: str
    size_class: SizeClass
    size: tuple[int, int]
    slot: Slot | None = None


def _bytes(megabytes: float | None) -> int:
    return round(megabytes * 1_000_000) if megabytes else 0


def picture_size(project: Project, size_class: SizeClass, shot: Shot) -> tuple[int, int]:
    """Return width and height in pixels to render for a class, turned as the shot or shots.toml says."""
    width, height = size_class.size
    if size_class.turn == "both" and (shot.turn or project.shots.turn) == "wide":
        return max(width, height), min(width, height)
    return width, height


class Planner:
    """Turns a selection into jobs; collects every problem in `problems`."""

    def __init__(self, project: Project, ledger: Ledger | None = None) -> None:
        self.project = project
        self.ledger = ledger or Ledger(project.root, write=False)
        self._owns_ledger = ledger is None
        self.index = ScreenIndex(project)
        self.problems: list[Problem] = []
        self.retoucher = Retoucher(project, self._file, self.problems)
        self._sizes: dict[str, tuple[int, int] | None] = {}
        self._looks: dict[tuple[str, frozenset[str]], Look] = {}
        self.fonts = fonts_version() + self._own_fonts()
        self._colours: dict[PalettePatch, Colours] = {}
        self.fitter = Fitter(project, self.ledger, self.problems, self.fonts + drawing_version())

    def jobs(self, selection: Selection) -> list[Job]:
        """Return all jobs in the order: store, size class, shot, locale. Raises ProjectError with all problems."""
        jobs = self.possible(selection)
        if self.problems:
            raise ProjectError(self.problems)
        return jobs

    def possible(self, selection: Selection) -> list[Job]:
        """Return the jobs that can be planned, in the same order; what's wrong with the others is in `problems`."""
        try:
            return self._planned(selection)
        finally:
            # Left to the garbage collector, it would stay open.
            if self._owns_ledger:
                self.ledger.close()

    def check_showcase(self, jobs: list[Job]) -> None:
        """Look at the showcase values of pictures to be painted. Raises ProjectError for those that no font can set."""
        self.fitter.check_showcase(jobs)
        if self.problems:
            raise ProjectError(self.problems)

    def _planned(self, selection: Selection) -> list[Job]:
        if self.project.season_shots:
            return self._by_season(selection)
        found: list[Job] = []
        everything = [*self.project.shots.shot, *self.project.shots.graphic]
        wanted = self.project.pick("--shot", list(selection.shots), [picture.name for picture in everything])
        locales = self.project.pick("--locale", list(selection.locales), self.project.app.locales)
        for store, name, size_class in self._places(selection):
            for tag in (tag for tag in locales if tag in store.locales):
                slots = self.slots(self.project.shots_for(name, tag))
                planned = [self.shot(store, name, size_class, tag, slot) for slot in slots]
                fitted = self.fitter.set_of(tag, [job for job in planned if job])
                found += [job for job in fitted if job.target.name in wanted]
        found.sort(key=lambda job: (job.target.store, job.target.place, job.target.number))
        if not selection.classes:
            for store_id in self.project.pick("--store", list(selection.stores), list(self.project.stores)):
                found += self._graphics(self.project.stores[store_id], locales, wanted)
        return found

    def _by_season(self, selection: Selection) -> list[Job]:
        """Plan the locales of each season with its shots, the others with the usual ones."""
        project = self.project
        tags = project.pick("--locale", list(selection.locales), project.app.locales)
        groups: dict[int, tuple[Shots, list[str]]] = {}
        for tag in tags:
            shots = project.season_shots.get(tag, project.shots)
            groups.setdefault(id(shots), (shots, []))[1].append(tag)
        found: list[Job] = []
        for shots, locales in groups.values():
            part = Planner(replace(project, shots=shots, season_shots={}), self.ledger)
            found += part._planned(replace(selection, locales=tuple(locales)))
            self.problems += [problem for problem in part.problems if problem not in self.problems]
        order = {tag: number for number, tag in enumerate(project.app.locales)}
        found.sort(
            key=lambda job: (
                job.target.kind != "shot",
                job.target.store,
                job.target.place,
                job.target.number,
                order[job.target.locale],
            )
        )
        return found

    def _places(self, selection: Selection) -> Iterator[tuple[Store, str, SizeClass]]:
        project = self.project
        stores = project.pick("--store", list(selection.stores), list(project.stores))
        known = [name for store in stores for name in project.classes_of(project.stores[store])]
        names = project.pick("--device", list(selection.classes), list(dict.fromkeys(known)))
        for store_id in stores:
            store = project.stores[store_id]
            for name, size_class in project.classes_of(store).items():
                if name in names:
                    yield store, name, size_class

    def slots(self, shots: Sequence[Shot]) -> list[Slot]:
        """Return a set's shots with their runs: neighbours of one look share its background, and pairs a device."""
        slots: list[Slot] = []
        at = 0
        while at < len(shots):
            look = shots[at].look or self.project.shots.look
            end = at
            while end < len(shots) and (shots[end].look or self.project.shots.look) == look:
                end += 1
            base = self.look(look, frozenset())
            run = shots[at:end]
            for index, shot in enumerate(run):
                span = Span(index, len(run)) if base.background.span else Span()
                leader = run[0] if base.background.span or base.paired else shot
                first, second = index - index % 2, index % 2 == 1
                pair = ""
                if base.paired:
                    pair = "second" if second else "first" if index + 1 < len(run) else "alone"
                    leader = run[first]
                slots.append(Slot(shot, at + index + 1, look, span, leader, pair, run[first] if pair else shot))
            at = end
        return slots

    def shot(
        self, store: Store, name: str, size_class: SizeClass, tag: str, slot: Slot, size: tuple[int, int] | None = None
    ) -> Job | None:
        """Return the job of a shot, but for the size of its caption, at its class's size unless another one is given.

        None when a screen can't be used.
        """
        rule, format_ = store.rulebook.pictures, self.project.shots.format
        file = shot_file(store.id, name, tag, slot.number, slot.shot.name)
        target = Target(file, "shot", store.id, name, tag, slot.number, slot.shot.name)
        output = Output(format_ if format_ in rule.formats else rule.formats[0], _bytes(rule.max_megabytes))
        words = frozenset({slot.pair, "odd" if slot.number % 2 else "even"} - {""})
        size = size or picture_size(self.project, size_class, slot.shot)
        return self._job(target, output, _Wanted(slot.shot, slot.look, words, name, size_class, size, slot))

    def _graphics(self, store: Store, locales: list[str], wanted: list[str]) -> list[Job]:
        """Plan the graphics that shots.toml describes and the store takes, per locale."""
        found = []
        for table in self.project.shots.graphic:
            graphic = store.rulebook.graphics.get(table.name)
            if graphic is None or table.name not in wanted:
                continue
            for tag in (tag for tag in locales if tag in store.locales):
                job = self._graphic(store, graphic, table, tag)
                found += self.fitter.set_of(tag, [job]) if job else []
        return found

    def _graphic(self, store: Store, graphic: Graphic, table: Picture, tag: str) -> Job | None:
        # Where a store gets no screenshots, its graphics show screens of its first size class.
        classes = self.project.classes_of(store) or store.rulebook.classes
        name, size_class = next(iter(classes.items()))
        target = Target(graphic_file(store.id, tag, table.name), "graphic", store.id, table.name, tag, 0, table.name)
        output = Output(graphic.formats[0], _bytes(graphic.max_megabytes))
        words = frozenset({"graphic", table.name})
        return self._job(
            target, output, _Wanted(table, table.look or "plinth", words, name, size_class, graphic.sizes[0])
        )

    def _job(self, target: Target, output: Output, wanted: _Wanted) -> Job | None:
        """Return a picture's job, but for the size of its caption; None when a screen can't be used."""
        picture, tag, slot, form = wanted.picture, target.locale, wanted.slot, wanted.size_class.form
        own = self._screen(picture.screen, "own", tag, wanted) if picture.screen else None
        if picture.screen and own is None:
            return None
        aspect = own.size[1] / own.size[0] if own else None
        place = place_words(wanted.size, form, wanted.class_name if slot else "", aspect)
        caption, caption_locale = self.project.caption(tag, picture)
        words = place | wanted.words | ({"captioned"} if caption else set())
        look = self.look(wanted.look, frozenset(words))
        screens = self._screens(look, wanted, own, tag)
        if screens is None:
            return None
        captured = own.size_class if own else wanted.class_name
        chosen = picture.regions.get(captured) or picture.regions.get(form) or picture.region
        region: Shares | None = (chosen[0], chosen[1], chosen[2], chosen[3]) if chosen else None
        photo = picture.picture or look.background.picture.file if look.background.kind == "picture" else ""
        aspects = tuple((screen.part, screen.size[1] / screen.size[0]) for screen in screens)
        second = int(slot is not None and slot.pair == "second")
        finish = picture.frame or self.project.shots.frame
        return Job(
            target=target,
            setting=Setting(
                wanted.size, form, finish, wanted.size_class.cutout, aspects, is_right_to_left(tag), second
            ),
            output=output,
            look=look,
            span=slot.run if slot else Span(),
            colours=self.palette((slot.leader if slot else picture).palette),
            screens=screens,
            caption=caption,
            caption_locale=caption_locale,
            region=region,
            photo=self.art(photo, f"shot.{picture.name}.picture") if photo else None,
            icon=self.art(ICON, "") if look.badge else None,
            fonts=self.fonts,
            tool=drawing_version(),
        )

    def _screens(self, look: Look, wanted: _Wanted, own: ScreenUse | None, tag: str) -> tuple[ScreenUse, ...] | None:
        """Return the screens that a look shows, or None when one is missing."""
        picture, slot = wanted.picture, wanted.slot
        needed = {device.screen for device in look.device.values()}
        if look.card or (look.background.kind == "picture" and not (picture.picture or look.background.picture.file)):
            needed.add("own")
        names = {"own": picture.screen, "second": self._second(picture), "pair": slot.screen.screen if slot else None}
        found = []
        for part in sorted(needed):
            screen = names[part] or picture.screen
            if screen is None:
                line = self.project.shots_source.line(("graphic",))
                message = f"has no screen, and its look {look.name} shows one"
                self._problem("shots.toml", line, f"graphic.{picture.name}", message, 'Add screen = "…".')
                return None
            use = own if part == "own" and own else self._screen(screen, part, tag, wanted)
            if use is None:
                return None
            found.append(replace(use, part=part))
        return tuple(found)

    def _second(self, picture: Picture) -> str | None:
        """Return the screen of a second device: the one that the shot names, else the next shot's."""
        if picture.second:
            return picture.second
        shots = self.project.shots.shot
        names = [shot.name for shot in shots]
        if picture.name in names and len(shots) > 1:
            return shots[(names.index(picture.name) + 1) % len(shots)].screen
        return picture.screen

    def _screen(self, screen: str, part: str, tag: str, wanted: _Wanted) -> ScreenUse | None:
        name, form = wanted.class_name, wanted.size_class.form
        found = self.index.find(screen, tag, name)
        if found is None:
            # The source locale's screen would serve all locales, so that one message says it for all.
            shown = f"screens/{self.project.source_locale}/{name}/{screen}.png"
            remedy = f"Add it, or a {form} screen of another size class."
            self._problem(shown, None, f"shot.{screen}", "is missing", remedy)
            return None
        shown = found.path.relative_to(self.project.root).as_posix()
        if shown not in self._sizes:
            self._sizes[shown] = self._size(found.path, shown)
        size = self._sizes[shown]
        if size is None:
            return None
        retouches = self.retoucher.retouches(screen, tag, self.project.forms[name], found.locale)
        digest = self.ledger.digest(shown)
        return ScreenUse(part, shown, digest, size, found.locale, found.size_class, found.exact, retouches)

    def _size(self, path: Path, shown: str) -> tuple[int, int] | None:
        """Return a screen's size in pixels, upright."""
        try:
            facts = image_facts(path)
            if facts is None or facts.width * facts.height > 50_000_000 or facts.turned != 1:
                from tavolan.pictures.raster.images import screen_size

                return screen_size(path, shown)
        except ProjectError as error:
            self.problems += [problem for problem in error.problems if problem not in self.problems]
            return None
        return facts.width, facts.height

    def look(self, name: str, words: frozenset[str]) -> Look:
        """Return a look; for one that can't be read a shipped one, so that all other problems are found too."""
        if (name, words) not in self._looks:
            try:
                self._looks[name, words] = load_look(self.project.root, name, words)
            except ProjectError as error:
                self.problems += [problem for problem in error.problems if problem not in self.problems]
                self._looks[name, words] = built_in_look("rise", words)
            except UsageError as error:
                self._problem("shots.toml", self._look_line(name), "look", str(error), "")
                self._looks[name, words] = built_in_look("rise", words)
        return self._looks[name, words]

    def _look_line(self, name: str) -> int:
        """Return the line of shots.toml that asks for a look first."""
        shots, source = self.project.shots, self.project.shots_source
        for kind, pictures in (("shot", shots.shot), ("graphic", shots.graphic)):
            for index, picture in enumerate(pictures):
                if picture.look == name:
                    return source.line((kind, index, "look"))
        return source.line(("look",))

    def palette(self, patch: PalettePatch) -> Colours:
        """Return the project's colours with what differs in one picture."""
        if patch not in self._colours:
            palette = self.project.shots.palette
            if palette.icon and not palette.base:
                from tavolan.pictures.raster.images import main_colour

                self.art(ICON, "palette.icon")
                path = self.project.root / ICON
                base = main_colour(path, ICON) if path.is_file() else "#808080"
                palette = palette.model_copy(update={"base": base})
            self._colours[patch] = resolve(palette, patch)
        return self._colours[patch]

    def art(self, file: str, key: str) -> File | None:
        """Return a file under art/, or None, with a problem noted."""
        path = (self.project.root / file).resolve()
        if not path.is_relative_to(self.project.root.resolve()) or not path.is_file():
            line = self.project.shots_source.line(("shot",))
            remedy = "Add the file, or name another one of the project."
            self._problem("shots.toml", line, key or "look", f'needs the picture "{file}", which isn\'t there', remedy)
            return None
        return self._file(file)

    def _file(self, file: str) -> File:
        return File(file, self.ledger.digest(file))

    def _own_fonts(self) -> str:
        fonts = [path.relative_to(self.project.root).as_posix() for path in own_font_files(self.project.root)]
        digests = [self.ledger.digest(file) + file.rpartition("/")[0] for file in fonts]
        return " own " + digest_of("".join(digests).encode()) if fonts else ""

    def _problem(self, shown: str, line: int | None, key: str, message: str, remedy: str) -> None:
        problem = Problem(shown, line, key, message, remedy)
        if problem not in self.problems:
            self.problems.append(problem)
