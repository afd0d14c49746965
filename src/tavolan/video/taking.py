"""Take recordings of the app into a project: find out what they are, name them, never lose one."""

from itertools import zip_longest
from pathlib import Path

from tavolan.errors import UsageError, one_problem
from tavolan.pictures.outputs.captures import Taken, Taker, require_name_each
from tavolan.support.files import copy_file, inside, read_blocks
from tavolan.video.clips import ENDINGS, FOLDER, probe

# A clip whose proportions differ more from a size class's than these shares is of another device.
_NEAR = 0.12


Named = tuple[list[Path], list[str]]


def named_by_kind(files: list[Path], names: list[str]) -> tuple[Named, Named]:
    """Return captures with the names given for them, and recordings with theirs.

    Raises UsageError where there are names, but not one for each file.
    """
    require_name_each(files, names)
    found: dict[bool, Named] = {False: ([], []), True: ([], [])}
    for file, name in zip_longest(files, names):
        of_kind, their_names = found[file.suffix.lower() in ENDINGS]
        of_kind.append(file)
        their_names += [name] if names else []
    return found[False], found[True]


class ClipTaker(Taker):
    """Plans and takes clips, named like the scenes' clips of `video.toml`. They're kept byte for byte."""

    folder = FOLDER

    def names_wanted(self) -> list[str]:
        """Return the clips that the storyboard's scenes show, in order."""
        scenes = self.project.video.scene if self.project.video else []
        return list(dict.fromkeys(scene.clip for scene in scenes if scene.clip))

    def plan(self, files: list[Path], names: list[str]) -> list[Taken]:
        """Return what taking these files would do, as `Taker.plan` does. Raises UsageError for one of another kind."""
        if wrong := next((file for file in files if file.suffix.lower() not in ENDINGS), None):
            raise UsageError(f"{wrong.name} is no clip", f"Give files that end with {', '.join(ENDINGS)}.")
        if len({file.suffix.lower() for file in files}) <= 1:
            self.ending = files[0].suffix.lower() if files else ".mp4"
            return super().plan(files, names)
        planned = []
        for number, file in enumerate(files):
            planned += self.plan([file], names[number : number + 1])
        return planned

    def size_of(self, file: Path) -> tuple[int, int]:
        """Return a clip's size in pixels, upright."""
        facts = probe(file, str(file))
        return facts.width, facts.height

    def same(self, one: Path, other: Path) -> bool:
        """Whether two files are the same, byte for byte."""
        blocks = zip_longest(read_blocks(one, str(one)), read_blocks(other, str(other)))
        return one.stat().st_size == other.stat().st_size and all(first == second for first, second in blocks)

    def cropped_to(self, file: Path, size: tuple[int, int], best: str) -> tuple[str, tuple[int, int] | None]:
        """Return the nearest class: clips are cropped when they're shown. Raises ProjectError for another device's."""
        wide, high = self._all[best][0]
        if abs(size[1] * wide / (size[0] * high) - 1) > _NEAR:
            said = f"is {size[0]}×{size[1]}, the proportions of no size class here; {best} ({wide}×{high}) is nearest"
            raise one_problem(file, None, "", said, "Record it on another device, or name one with --device.")
        return best, None

    def take(self, taken: Taken) -> None:
        """Copy one clip as it is."""
        if taken.action == "known":
            return
        root = self.project.root
        if taken.earlier:
            copy_file(root / taken.target, inside(root, taken.earlier))
        copy_file(taken.source, inside(root, taken.target))
