"""Plan retouches: what is to be set, covered or blurred on which screen, with its texts in each language."""

from collections.abc import Callable
from dataclasses import replace

from tavolan.errors import Problem
from tavolan.languages.tags import is_right_to_left
from tavolan.pictures.design.look import Shares
from tavolan.pictures.design.retouch_steps import RetouchStep
from tavolan.pictures.making.job import File
from tavolan.project.model import Project
from tavolan.project.schema import Retouch

# Height of the status bar as a share of the screen's height, by form.
_BAR = {"phone": 0.050, "tablet": 0.026, "desktop": 0.03, "tv": 0.03, "watch": 0.1}


class Retoucher:
    """Finds what is to be retouched on a screen in a locale, its texts in that locale; collects problems."""

    def __init__(self, project: Project, file: Callable[[str], File], problems: list[Problem]) -> None:
        self.project, self._file, self.problems = project, file, problems

    def retouches(self, screen: str, tag: str, form: str, captured: str) -> tuple[RetouchStep, ...]:
        """Return the retouches of a screen that was captured in a locale, in the order of shots.toml."""
        found = []
        for number, retouch in enumerate(self.project.shots.retouch, 1):
            if (not retouch.screens or screen in retouch.screens) and (not retouch.forms or form in retouch.forms):
                step = self._step(retouch, number, tag, form, captured)
                if step is None:
                    continue
                if retouch.mirror and is_right_to_left(captured):
                    x, y, width, height = step.region
                    step = replace(step, region=(1 - x - width, y, width, height))
                found.append(step)
        return tuple(found)

    def _step(self, retouch: Retouch, number: int, tag: str, form: str, captured: str) -> RetouchStep | None:
        kinds = [name for name in ("bar", "text", "picture", "blur") if getattr(retouch, name)]
        if len(kinds) != 1:
            return self._fault(number, "must do exactly one of bar, text, picture and blur", "Split it into several.")
        kind = kinds[0]
        configured = retouch.regions.get(captured) or retouch.region
        given = configured or ([0.0, 0.0, 1.0, _BAR[form]] if kind == "bar" else None)
        if given is None:
            return self._fault(number, "has no region", "Add region = [x, y, width, height] as shares of the screen.")
        region: Shares = (given[0], given[1], given[2], given[3])
        plain = RetouchStep(region, kind, locale=tag, ink=retouch.ink or "", ground=retouch.ground or "")
        if kind == "text":
            return self._with_text(plain, retouch, number, tag)
        if kind == "picture":
            return self._with_picture(plain, str(retouch.picture), number)
        return replace(plain, text=retouch.time) if kind == "bar" else plain

    def _with_text(self, plain: RetouchStep, retouch: Retouch, number: int, tag: str) -> RetouchStep | None:
        """Return a retouch with its showcase value, the source locale's where the locale has none."""
        name = str(retouch.text)
        for locale in (tag, self.project.source_locale):
            value = self.project.copy[locale].entry("showcase", name)
            if value.written:
                return replace(
                    plain,
                    text=str(value.content),
                    locale=locale,
                    name=name,
                    align=retouch.align,
                    weight=retouch.weight,
                    size=retouch.size,
                )
        remedy = f'Write {name} = "…" under [showcase] in copy/{self.project.source_locale}.toml.'
        return self._fault(number, f'shows "{name}", which no copy file has', remedy)

    def _with_picture(self, plain: RetouchStep, name: str, number: int) -> RetouchStep | None:
        if not (self.project.root / name).is_file():
            return self._fault(number, f'needs "{name}", which isn\'t there', "Add it under art/.")
        file = self._file(name)
        return replace(plain, file=file.path, digest=file.digest)

    def _fault(self, number: int, message: str, remedy: str) -> RetouchStep | None:
        """Note a problem of a retouch, which then can't be made."""
        line = self.project.shots_source.line(("retouch", number - 1))
        problem = Problem("shots.toml", line, f"retouch {number}", message, remedy)
        if problem not in self.problems:
            self.problems.append(problem)
        return None
