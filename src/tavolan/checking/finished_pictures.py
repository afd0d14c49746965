"""Checks of finished pictures, from their headers and the ledger: files, what they show, what can be read on them."""

from collections.abc import Iterator
from pathlib import Path

from tavolan.checking.findings import Finding, Location, Rule
from tavolan.checking.registry import check
from tavolan.checking.review import Review
from tavolan.project.icon_records import ICON_PLACE, icon_trouble
from tavolan.project.model import ICON, Project, Store
from tavolan.project.picture_records import CaptionFacts, PictureRecord, finished, graphic_file, kept, set_files
from tavolan.rulebooks.model import SizeClass
from tavolan.support.image_headers import ImageFacts, image_facts

# WCAG 2.2, success criterion 1.4.3: large text, which captions always are.
_LEAST_CONTRAST = 3.0
# In search results three upright pictures are side by side, some 110 points wide; a wide one takes the whole row.
# Below 6 points nobody reads a title there.
_THUMB_POINTS, _WIDE_THUMB_POINTS, _LEAST_POINTS = 110, 350, 6


def _sets(project: Project) -> Iterator[tuple[Store, str, SizeClass, str]]:
    for store in project.stores.values():
        for name, size_class in project.classes_of(store).items():
            for tag in store.locales:
                yield store, name, size_class, tag


def _files(project: Project, store: str, name: str, tag: str) -> dict[str, str]:
    """Return where the pictures of a set are, by shot."""
    return set_files(store, name, tag, (shot.name for shot in project.shots_for(name, tag)))


def _rows(review: Review, store: str, name: str, tag: str) -> dict[str, PictureRecord]:
    """Return what's known of the pictures of a set, by shot."""
    files = _files(review.project, store, name, tag)
    return {shot: review.records[file] for shot, file in files.items() if file in review.records}


def _existing(project: Project, store: str, name: str, tag: str) -> dict[str, Path]:
    """Return the finished pictures of a set by shot."""
    files = _files(project, store, name, tag)
    there = finished(project.root, files.values())
    return {shot: there[file] for shot, file in files.items() if file in there}


@check("picture-unfit", "error")
def picture_unfit(review: Review, this: Rule) -> Iterator[Finding]:
    """A finished picture isn't as the store takes it: size, format, transparency, depth, colours, bytes, or cut short.

    `tavolan shots render` makes them right; this finds files that something else wrote or changed since.
    """
    project = review.project
    for store, name, size_class, tag in _sets(project):
        for shot, path in _existing(project, store.id, name, tag).items():
            shown = path.relative_to(project.root).as_posix()
            for fault in _faults(image_facts(path), path.stat().st_size, store, size_class):
                remedy = f"Make it again: tavolan shots render --again --shot {shot}"
                at = Location(store=store.id, locale=tag, field=f"shot.{shot}", path=shown)
                yield this.finding(at, fault, remedy, subject=f"{name} {fault}")


def _faults(facts: ImageFacts | None, size: int, store: Store, size_class: SizeClass) -> list[str]:
    rule = store.rulebook.pictures
    if facts is None:
        return ["is neither PNG nor JPEG"]
    sizes = {*size_class.sizes, *rule.accepts}
    if size_class.turn == "both":
        sizes |= {(height, width) for width, height in sizes}
    wanted = " or ".join(f"{w}×{h}" for w, h in size_class.sizes[:2])
    checks = [
        (facts.format not in rule.formats, f"is {facts.format.upper()}, which {store.id} doesn't take"),
        ((facts.width, facts.height) not in sizes, f"is {facts.width}×{facts.height} pixels; {wanted} is asked for"),
        (facts.alpha and not rule.alpha, f"has an alpha channel, which {store.id} doesn't take"),
        (facts.bits != 8, f"has {facts.bits} bits per channel instead of 8"),
        (facts.channels not in ("RGB", "palette", "grey"), f"is {facts.channels} instead of RGB"),
        (facts.profile not in ("", "sRGB"), f"has the colour profile {facts.profile} instead of sRGB"),
        (facts.frames > 1, "is an animation"),
        (facts.turned != 1, "is turned by its Exif data only, which stores don't heed"),
        (not facts.complete, "is cut short"),
    ]
    if rule.max_megabytes:
        limit = f"has {size / 1e6:.1f} MB; {store.id} takes {rule.max_megabytes:g}"
        checks.append((size > rule.max_megabytes * 1e6, limit))
    return [message for wrong, message in checks if wrong]


@check("picture-to-make", "warning")
def picture_to_make(review: Review, this: Rule) -> Iterator[Finding]:
    """Some pictures of a rendered set are missing, or show a caption or a screen that has changed since.

    So may a graphic. Nothing is said of sets that haven't been rendered at all.
    """
    project = review.project
    for store, name, _, tag in _sets(project):
        found = _existing(project, store.id, name, tag)
        if not found:
            continue
        shots = {shot.name: shot for shot in project.shots_for(name, tag)}
        missing = [shot for shot in shots if shot not in found]
        rows = {shot: row for shot, row in _rows(review, store.id, name, tag).items() if shot in found}
        captions = {shot: kept(project.caption(tag, shots[shot])[0]) for shot in rows}
        old = [shot for shot, row in rows.items() if captions[shot] != row.inputs.get("caption")]
        seen = [shot for shot, row in rows.items() if _shows_another(review, row, shots[shot].screen, tag, name)]
        parts = [f"has no picture of {', '.join(missing)}"] if missing else []
        parts += [f"shows an earlier caption of {', '.join(old)}"] if old else []
        parts += [f"shows an earlier screen of {', '.join(seen)}"] if seen else []
        if parts:
            at = Location(store=store.id, locale=tag, field=f"class.{name}", path=f"out/shots/{store.id}/{name}/{tag}")
            remedy = "Make them: tavolan shots render"
            yield this.finding(at, "; ".join(parts), remedy, measured=len(missing) + len({*old, *seen}))
    yield from _old_graphics(review, this)


def _old_graphics(review: Review, this: Rule) -> Iterator[Finding]:
    project = review.project
    for store in project.stores.values():
        for table in (table for table in project.graphics if table.name in store.rulebook.graphics):
            for tag in store.locales:
                file = graphic_file(store.id, tag, table.name)
                row = review.records.get(file)
                if row is None or not (project.root / row.path).is_file():
                    continue
                classes = project.classes_of(store) or store.rulebook.classes
                is_other = [_shows_another(review, row, table.screen, tag, name) for name in classes if table.screen]
                caption = kept(project.caption(tag, table)[0])
                parts = ["an earlier caption"] if caption != row.inputs.get("caption", caption) else []
                parts += ["an earlier screen"] if is_other and all(is_other) else []
                if parts:
                    at = Location(store=store.id, locale=tag, field=f"graphic.{table.name}", path=file)
                    yield this.finding(at, f"shows {' and '.join(parts)}", "Make them: tavolan shots render")


def _shows_another(review: Review, row: PictureRecord, screen: str, tag: str, size_class: str) -> bool:
    """Whether a picture shows another screen than the one that is there now."""
    there = review.screens.find(screen, tag, size_class)
    before = row.inputs.get("screen")
    return there is not None and before is not None and before != review.screen_digest(there.path)


@check("picture-repeated", "warning")
def picture_repeated(review: Review, this: Rule) -> Iterator[Finding]:
    """Two shots of a set are the same picture: a slot of a set of ten is lost, and visitors see it."""
    project = review.project
    for store, name, _, tag in _sets(project):
        seen: dict[str, str] = {}
        for shot, row in _rows(review, store.id, name, tag).items():
            if not (project.root / row.path).exists():
                continue
            if row.key in seen:
                message = f"is the same picture as {seen[row.key]}"
                remedy = "Give one of them another screen or caption, or take it out."
                at = Location(store=store.id, locale=tag, field=f"shot.{shot}", path=row.path)
                yield this.finding(at, message, remedy, subject=name)
            seen.setdefault(row.key, shot)


@check("caption-faint", "warning")
def caption_faint(review: Review, this: Rule) -> Iterator[Finding]:
    """A caption's contrast to what's behind it is below 3 to 1, the least for large text (WCAG 2.2).

    It was measured on the finished picture. The weaker of plain and emphasised words counts, against the darkest and
    the lightest of the ground below them.
    """
    for shot, at, caption, _ in _captions(review):
        worst = min(value for value in (caption.contrast, caption.accent_contrast) if value is not None)
        if worst < _LEAST_CONTRAST:
            which = "emphasised words" if worst == caption.accent_contrast else "words"
            message = f"its {which} stand out by {worst:.1f} to 1 only; 3 to 1 is the least"
            remedy = "Change ink or accent in the palette, or choose another look."
            yield this.finding(at, message, remedy, subject=shot)


@check("caption-small", "warning")
def caption_small(review: Review, this: Rule) -> Iterator[Finding]:
    """A caption's title can't be read where most people meet it: as a thumbnail in a phone's search results.

    An upright picture is some 110 points wide there, a wide one 350; below 6 points a title is only texture. A shorter
    caption is set larger, and with it all others of its set.
    """
    for shot, at, caption, (width, height) in _captions(review):
        points = caption.size * (_THUMB_POINTS if height > width else _WIDE_THUMB_POINTS) / width
        if points < _LEAST_POINTS:
            message = f"its title is {points:.1f} points high in search results; {_LEAST_POINTS} is the least"
            remedy = "Shorten the longest caption of the set."
            yield this.finding(at, message, remedy, subject=shot)


def _captions(review: Review) -> Iterator[tuple[str, Location, CaptionFacts, tuple[int, int]]]:
    """Yield what was measured of every finished picture's caption: shot and class, place, values, picture size."""
    for store, name, size_class, tag in _sets(review.project):
        if size_class.form == "watch":
            continue
        for shot, row in _rows(review, store.id, name, tag).items():
            if row.facts.caption:
                at = Location(store=store.id, locale=tag, field=f"captions.{shot}", path=row.path)
                yield f"{shot} {name}", at, row.facts.caption, (row.facts.width, row.facts.height)


@check("screen-hidden", "note")
def screen_hidden(review: Review, this: Rule) -> Iterator[Finding]:
    """A device's cut-out or its rounded corners lie over something that the app drew, so visitors can't see it.

    A raw screen from such a device keeps those places free. One from another device, or a status bar that's set by
    hand, may not. One finding per shot and size class, with the locales it's true of.
    """
    project = review.project
    found: dict[tuple[str, str, str, str], list[str]] = {}
    for store, name, _, tag in _sets(project):
        for shot, row in _rows(review, store.id, name, tag).items():
            for device in row.facts.hidden:
                for part in device.covers:
                    found.setdefault((store.id, name, shot, part), []).append(tag)
    for (store_id, name, shot_name, part), tags in found.items():
        what = "the cut-out" if part == "cutout" else "a rounded corner"
        message = f"{what} of {name} hides something of the screen in {', '.join(dict.fromkeys(tags))}"
        remedy = 'Retouch the screen ([[retouch]] with bar = true), or use frame = "none".'
        at = Location(
            store=store_id, field=f"shot.{shot_name}", path="shots.toml", line=project.shots_source.line(("shot",))
        )
        yield this.finding(at, message, remedy, subject=f"{name} {part}")


@check("retouch-unclean", "warning")
def retouch_unclean(review: Review, this: Rule) -> Iterator[Finding]:
    """A showcase value couldn't be put over a screen cleanly: something of what was there is left, or cut.

    What's covered must stand apart from lines, cards and pictures around it, on a calm ground. One finding per value
    and shot, with the locales it's true of.
    """
    project = review.project
    found: dict[tuple[str, str], list[str]] = {}
    for store, name, _, tag in _sets(project):
        for shot, row in _rows(review, store.id, name, tag).items():
            for value in row.facts.unclean:
                found.setdefault((shot, value), []).append(tag)
    for (shot, value), tags in found.items():
        message = f"what was under the retouch {value} isn't covered cleanly in {', '.join(dict.fromkeys(tags))}"
        remedy = "Set the region another way there (regions.TAG = [...] in its [[retouch]]), or give it a ground."
        at = Location(field=f"shot.{shot}", path="shots.toml", line=project.shots_source.line(("retouch",)))
        yield this.finding(at, message, remedy, subject=value)


@check("screen-scaled", "note")
def screen_scaled(review: Review, this: Rule) -> Iterator[Finding]:
    """A size class has no raw screens of its own, so those of another class of the same form stand in, scaled.

    They keep their proportions; a screen that was made for the class shows its own cut-out and its own layout.
    """
    project = review.project
    index = review.screens
    source = project.shots_source
    for store in project.stores.values():
        for name in project.classes_of(store):
            others = set()
            for tag in store.locales:
                for shot in project.shots_for(name, tag):
                    screen = index.find(shot.screen, tag, name)
                    if screen and screen.size_class != name:
                        others.add(screen.size_class)
            if others:
                message = f"{name} shows the screens of {', '.join(sorted(others))}"
                remedy = f"Capture some under screens/<locale>/{name}/."
                at = Location(store=store.id, field=f"screens.{name}", path=source.shown, line=source.line(("shot",)))
                yield this.finding(at, message, remedy)


@check("graphic-to-make", "note")
def graphic_to_make(review: Review, this: Rule) -> Iterator[Finding]:
    """A store asks for a picture beside the screenshots (icon, feature graphic) that this project doesn't make.

    Either nothing describes it, or the icon isn't made from `art/icon.png` as it is now.
    """
    project = review.project
    source = project.shots_source
    described = {graphic.name for graphic in project.shots.graphic}
    for store in project.stores.values():
        for name, graphic in store.rulebook.graphics.items():
            if not project.requires(graphic):
                continue
            size = "×".join(map(str, graphic.sizes[0]))
            icon = name == ICON_PLACE
            at = Location(store=store.id, field=f"graphic.{name}", path=source.shown)
            if icon and (project.root / ICON).exists():
                if trouble := icon_trouble(project, store):
                    yield this.finding(at, f"{graphic.what} {trouble}", "Make it: tavolan shots render --icons")
                continue
            if name in described:
                continue
            message = f"{graphic.what or name} ({size}) is asked for, and nothing here makes one"
            remedy = f"Add it: tavolan shots add {name}"
            if icon:
                remedy = "Put a master at art/icon.png."
            elif not project.shots.shot:
                # It shows a shot's screen, and there's none yet.
                remedy = "It shows a shot's screen. Take captures in first: tavolan shots new FOLDER"
            yield this.finding(at, message, remedy)
