"""What's wrong with a finished video, from what was measured of it: the same for ours and for those made elsewhere."""

from collections.abc import Iterable, Iterator

from tavolan.checking.findings import Rule
from tavolan.project.video_records import Stretch, VideoFacts
from tavolan.rulebooks.model import Video

UNFIT = Rule("video-unfit", "error")
SLOW_START = Rule("video-slow-start", "warning")
FLASHES = Rule("video-flashes", "error")
BLACK = Rule("video-black", "warning")
FROZEN = Rule("video-frozen", "note")
SILENT = Rule("video-silent", "warning")
LOUD = Rule("video-loudness", "warning")
# Decibels around the loudness that's asked for within which nobody hears a difference, and the highest true peak
# (EBU R 128: -1 dBTP).
_NEAR, _MOST_PEAK = 2.0, -1.0
_NAMES = {"h264": "H.264", "hevc": "H.265", "vp9": "VP9", "av1": "AV1", "aac": "AAC", "mp3": "MP3", "opus": "Opus"}


def named(codec: str) -> str:
    """Return a codec as people call it."""
    return _NAMES.get(codec, codec or "none")


def unfit(facts: VideoFacts, rule: Video, store: str, size_class: str) -> Iterator[str]:
    """Yield what a store wouldn't take of a video for a size class."""
    width, height = facts.size_seen
    asked = rule.sizes.get(size_class)
    if asked and (width, height) != asked:
        yield f"is {width}×{height} pixels; {asked[0]}×{asked[1]} is asked for"
    if rule.min_lines and height < rule.min_lines:
        yield f"has {height} lines; {store} takes {rule.min_lines} or more"
    if rule.min_seconds and facts.seconds < rule.min_seconds:
        yield f"is {facts.seconds:.1f} s long; {store} takes {rule.min_seconds:g} s or more"
    if rule.max_seconds and facts.seconds > rule.max_seconds + 0.0005:
        yield f"is {facts.seconds:.2f} s long; {store} takes {rule.max_seconds:g} s at most"
    if rule.max_megabytes and facts.bytes > rule.max_megabytes * 1e6:
        yield f"has {facts.bytes / 1e6:.1f} MB; {store} takes {rule.max_megabytes:g}"
    if rule.frames_per_second and abs(facts.rate - rule.frames_per_second) > 0.05:
        yield f"has {facts.rate:g} frames a second; {store} takes {rule.frames_per_second}"
    if not facts.even_rate:
        yield "has frames of uneven lengths: a recorder dropped some"
    if facts.turned:
        yield f"is turned by {facts.turned}° by a mark only, which stores don't heed"
    yield from _coding_faults(facts, rule, store)


def _coding_faults(facts: VideoFacts, rule: Video, store: str) -> Iterator[str]:
    if rule.codecs and facts.codec not in rule.codecs:
        yield f"is coded as {named(facts.codec)}; {store} takes {_any_of(rule.codecs)}"
    if facts.pixel_format not in ("yuv420p", "yuvj420p"):
        yield f"has pixels of the kind {facts.pixel_format}; players need yuv420p, of 8 bits"
    if facts.sound_codec and rule.sound_codecs and facts.sound_codec not in rule.sound_codecs:
        yield f"has sound in {named(facts.sound_codec)}; {store} takes {_any_of(rule.sound_codecs)}"
    if facts.sound_codec and rule.sound_channels and facts.channels != rule.sound_channels:
        yield f"has {facts.channels} channels of sound; {store} takes {rule.sound_channels}"
    if not facts.sound_codec and rule.sound_required:
        yield f"has no sound; {store} asks for one"


def _any_of(codecs: Iterable[str]) -> str:
    return " or ".join(named(codec) for codec in codecs)


def watched_faults(facts: VideoFacts, loudness: float | None) -> Iterator[tuple[Rule, str, str]]:
    """Yield what's seen and heard in a video that shouldn't be: the rule, what it is, what to do.

    `loudness` in LUFS is what was asked for; of a video made elsewhere that isn't known.
    """
    seen, sound = facts.watched, facts.heard
    if not facts.fast_start:
        yield SLOW_START, "keeps what a player needs at its end: nothing plays until all is there", "Export it again."
    if seen.flashing:
        yield (
            FLASHES,
            f"flashes more than three times a second {_times(seen.flashing)}",
            "Slow it down: it can cause seizures (WCAG 2.3.1).",
        )
    if seen.black:
        yield BLACK, f"is black {_times(seen.black)}", "Cut it out, or show something there."
    if seen.frozen:
        yield FROZEN, f"stands still {_times(seen.frozen)}", 'Shorten it, or let it move: fit = "zoomed".'
    if sound is None:
        return
    if sound.silent:
        yield SILENT, f"is silent {_times(sound.silent)}", "Let the music go on, or leave the sound out altogether."
    if loudness is not None and abs(sound.loudness - loudness) > _NEAR:
        yield (
            LOUD,
            f"is {sound.loudness:.1f} LUFS loud; {loudness:g} is asked for",
            "Raise the quiet parts: peaks leave no room for more.",
        )
    if sound.peak > _MOST_PEAK:
        yield (
            LOUD,
            f"has peaks of {sound.peak:.1f} dBTP; above {_MOST_PEAK:g} players distort them",
            "Lower the sound.",
        )


def _times(stretches: Iterable[Stretch]) -> str:
    """Say where in a video something is."""
    parts = [f"from {one.begin:.1f} to {one.end:.1f} s" for one in stretches]
    return ", ".join(parts[:4]) + (f" and {len(parts) - 4} times more" if len(parts) > 4 else "")
