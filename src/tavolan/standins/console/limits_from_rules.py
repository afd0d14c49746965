"""Limits of the stand-in from a rulebook: for a store that a project describes itself, and to hold ours against it."""

from typing import Any

from tavolan.rulebooks.model import FieldRule, Graphic, Rulebook, SizeClass
from tavolan.standins.console.limits import FactLimit, IconLimit, PictureLimit, StoreLimits, TextLimit, VideoLimit


def limits_of(book: Rulebook) -> StoreLimits:
    """Return what a console takes whose store is as a rulebook says. It can't find a limit that's wrong there."""
    rules, behaviour = book.fields, book.console
    reply = book.field_with("reply")
    return StoreLimits(
        title=book.field_with("title"),
        needs_version=behaviour.needs_version,
        unique_title=behaviour.unique_title,
        free_stays_free=behaviour.free_stays_free,
        locked_until_build=behaviour.locked_until_build,
        releases=behaviour.releases,
        experiment_variants=behaviour.experiment_variants,
        texts={key: _text(rule) for key, rule in rules.items() if rule.scope in ("locale", "item")},
        reply=_text(rules[reply]) if reply else None,
        facts={key: _fact(rule) for key, rule in rules.items() if rule.scope == "once"},
        shots={name: _shots(book, size_class) for name, size_class in book.classes.items()},
        graphics={name: _graphic(graphic) for name, graphic in book.graphics.items() if not graphic.in_build},
        videos=_videos(book),
        icons=_icons(book.graphics.values()),
    )


def _text(rule: FieldRule) -> TextLimit:
    return TextLimit(
        unit=rule.unit,
        least=rule.min,
        most=rule.max,
        join=rule.separator if rule.kind == "list" else None,
        most_entries=rule.max_items,
        longest_entry=rule.item_max,
        required=rule.required == "always",
        anytime=rule.anytime,
        of_item=rule.scope == "item",
    )


def _fact(rule: FieldRule) -> FactLimit:
    # Of answers, those that aren't given are taken as none.
    return FactLimit(required=rule.required == "always", parts=() if rule.kind == "answers" else rule.parts)


def _shots(book: Rulebook, size_class: SizeClass) -> PictureLimit:
    rule = book.pictures
    within_bounds = rule.min_side is not None or rule.max_ratio is not None
    sizes = () if within_bounds else tuple(dict.fromkeys((*size_class.sizes, *rule.accepts)))
    turned = tuple((height, width) for width, height in sizes) if size_class.turn == "both" else ()
    return PictureLimit(
        sizes=tuple(dict.fromkeys((*sizes, *turned))),
        least_side=rule.min_side,
        most_side=rule.max_side,
        most_ratio=rule.max_ratio,
        formats=rule.formats,
        alpha=rule.alpha,
        most_megabytes=rule.max_megabytes,
        most=size_class.max_count or rule.max_count,
    )


def _graphic(graphic: Graphic) -> PictureLimit:
    return PictureLimit(
        sizes=graphic.sizes,
        formats=graphic.formats,
        alpha=graphic.alpha is not False,
        most_megabytes=graphic.max_megabytes,
        most=len(graphic.sizes),
        required=graphic.required == "always",
    )


def _videos(book: Rulebook) -> dict[str, VideoLimit]:
    rule = book.video
    if rule is None or rule.hosted_by:
        return {}
    return {
        name: VideoLimit(
            size=rule.sizes.get(name),
            least_lines=rule.min_lines,
            least_seconds=rule.min_seconds,
            most_seconds=rule.max_seconds,
            most_megabytes=rule.max_megabytes,
            frames_per_second=rule.frames_per_second,
            codecs=rule.codecs,
            sound_codecs=rule.sound_codecs,
            sound_channels=rule.sound_channels,
            sound_required=rule.sound_required,
        )
        for name in rule.places
    }


def _icons(graphics: Any) -> IconLimit | None:
    asked = next((graphic for graphic in graphics if graphic.declared_under), None)
    if asked is None:
        return None
    sides = sorted(width for width, _ in asked.sizes)
    suffixes = tuple("" if side == sides[0] else f"@{side // sides[0]}x" for side in sides)
    return IconLimit(declared_under=asked.declared_under, declared_files=asked.declared_files, suffixes=suffixes)
