"""Fonts: the project's own first, then those that come as packages, then the system's."""

import unicodedata
from functools import cache
from importlib.util import find_spec
from pathlib import Path
from typing import Any

from tavolan.errors import OutsideError, one_problem
from tavolan.languages.scripts import is_script, script
from tavolan.languages.tags import script_of
from tavolan.pictures.raster.backends import skia
from tavolan.support.content_digest import digest_of_content
from tavolan.support.files import read_bytes

# (package, file) in the order in which they're asked for a character.
_PACKAGED = {
    "Inter": ("justmytype_western_core", "inter/Inter[opsz,wght].ttf"),
    "Noto Sans": ("justmytype_western_core", "notosans/NotoSans[wdth,wght].ttf"),
    "Inter Italic": ("justmytype_western_core", "inter/Inter-Italic[opsz,wght].ttf"),
    "Noto Sans Italic": ("justmytype_western_core", "notosans/NotoSans-Italic[wdth,wght].ttf"),
    "Arabic": ("justmytype_intl_rtl", "notosansarabic/NotoSansArabic[wdth,wght].ttf"),
    "Hebrew": ("justmytype_intl_rtl", "notosanshebrew/NotoSansHebrew[wdth,wght].ttf"),
    "Devanagari": ("justmytype_intl_south_asia", "notosansdevanagari/NotoSansDevanagari[wdth,wght].ttf"),
    "Bengali": ("justmytype_intl_south_asia", "notosansbengali/NotoSansBengali[wdth,wght].ttf"),
    "Tamil": ("justmytype_intl_south_asia", "notosanstamil/NotoSansTamil[wdth,wght].ttf"),
    "Telugu": ("justmytype_intl_south_asia", "notosanstelugu/NotoSansTelugu[wdth,wght].ttf"),
    "Thai": ("justmytype_intl_sea", "notosansthai/NotoSansThai[wdth,wght].ttf"),
    "Lao": ("justmytype_intl_sea", "notosanslao/NotoSansLao[wdth,wght].ttf"),
    "Khmer": ("justmytype_intl_sea", "notosanskhmer/NotoSansKhmer[wdth,wght].ttf"),
    "Myanmar": ("justmytype_intl_sea", "notosansmyanmar/NotoSansMyanmar[wdth,wght].ttf"),
    "Ethiopic": ("justmytype_intl_africa", "notosansethiopic/NotoSansEthiopic[wdth,wght].ttf"),
    "JP": ("justmytype_intl_cjk", "notosansjp/NotoSansJP[wght].ttf"),
    "KR": ("justmytype_intl_cjk", "notosanskr/NotoSansKR[wght].ttf"),
    "SC": ("justmytype_intl_cjk", "notosanssc/NotoSansSC[wght].ttf"),
    "TC": ("justmytype_intl_cjk", "notosanstc/NotoSansTC[wght].ttf"),
    "Symbols": ("justmytype_western_core", "notosanssymbols2/NotoSansSymbols2-Regular.ttf"),
}
_LARGE = ("JP", "KR", "SC", "TC")
_ITALIC = ("Inter Italic", "Noto Sans Italic")
_ENDINGS = (".ttf", ".otf", ".ttc")
_JOINERS = {"\u200b", "\u200c", "\u200d", "\u200e", "\u200f", "\u2060", "\ufeff", "\u00ad"}


# A project's own fonts by the name of their content: a file may be replaced, or written into, while we run.
_contents: dict[str, bytes] = {}


@cache
def _typeface(path: str, weight: int) -> Any:
    """Return a typeface at a weight on the variable font's axis; of a project's own font by the name of its content."""
    sk = skia()
    manager = sk.FontMgr.New_Custom_Empty()
    content = _contents.get(path)
    face = manager.makeFromFile(path) if content is None else manager.makeFromData(sk.Data.MakeWithCopy(content))
    if face is None:
        return None
    axes = {p.tag.to_bytes(4, "big").decode("latin-1"): p for p in face.getVariationDesignParameters()}
    wanted = {"wght": weight, "opsz": 32.0}
    position = [
        (axes[name].tag, min(max(value, axes[name].min), axes[name].max))
        for name, value in wanted.items()
        if name in axes
    ]
    if not position:
        return face
    coordinates = sk.FontArguments.VariationPosition.Coordinates(
        [sk.FontArguments.VariationPosition.Coordinate(axis, value) for axis, value in position]
    )
    arguments = sk.FontArguments()
    arguments.setVariationDesignPosition(sk.FontArguments.VariationPosition(coordinates))
    return face.makeClone(arguments)


@cache
def packaged_path(name: str) -> str:
    """Return the file of a packaged font. Raises OutsideError when its package isn't there."""
    package, file = _PACKAGED[name]
    spec = find_spec(package)
    if spec is None or spec.origin is None:
        raise OutsideError(f"the font package {package} is missing", "Install Tavolan again: pip install tavolan")
    return str(Path(spec.origin).parent / "fonts" / "ofl" / file)


def fallback_keys() -> list[str]:
    """Return the names of the packaged upright fonts behind the first, in the order in which they're asked."""
    return [key for key in _PACKAGED if key not in (next(iter(_PACKAGED)), *_ITALIC)]


def fonts_version() -> str:
    """Return the versions of the font packages; a picture's text depends on them."""
    from importlib.metadata import version

    return " ".join(f"{name} {version(name)}" for name in ("justmytype-international", "justmytype-intl-cjk"))


def own_font_files(root: Path, script_code: str = "") -> list[Path]:
    """Return a project's own fonts: those for a script (`art/fonts/Arab/`) first; of all scripts where none is named.

    Raises ProjectError for a folder that no script has the name of.
    """
    folder = root / "art" / "fonts"
    for_script: list[Path] = []
    for below in sorted(path for path in folder.glob("*") if path.is_dir()):
        if not is_script(below.name):
            message = "is named after no script"
            raise one_problem(
                f"art/fonts/{below.name}", None, "", message, "Name it as ISO 15924 does: Latn, Arab, Jpan."
            )
        if script_code in ("", below.name):
            for_script += _fonts_in(below)
    return [*for_script, *_fonts_in(folder)]


def _fonts_in(folder: Path) -> list[Path]:
    return sorted(path for path in folder.glob("*") if path.suffix.lower() in _ENDINGS)


class Fonts:
    """The fonts of a project for one locale: family names for the paragraph engine, and which characters they have."""

    def __init__(self, root: Path | None, locale: str) -> None:
        sk = skia()
        self.provider = sk.textlayout.TypefaceFontProvider()
        self.collection = sk.textlayout.FontCollection()
        self.collection.setDefaultFontManager(self.provider)
        self.unicode = sk.Unicodes.ICU.Make()
        self.locale = locale
        self._registered: dict[tuple[str, int], str] = {}
        self._faces: dict[str, Any] = {}
        self._chosen: dict[tuple[str, int, bool], list[str]] = {}
        self._own, self._own_italic = self._project_fonts(root)
        first = script(script_of(locale)).font
        packaged = [name for name in _PACKAGED if name not in (*_LARGE, *_ITALIC)]
        large = sorted(_LARGE, key=lambda name: name != first)
        self._order = ["Inter", *([first] if first else []), *packaged[1:-1], *large, "Symbols"]
        self._order = list(dict.fromkeys(self._order))

    def _project_fonts(self, root: Path | None) -> tuple[list[str], list[str]]:
        """Return the names of the project's own upright and italic fonts, those of the locale's script first."""
        upright: list[str] = []
        italic: list[str] = []
        if root is None:
            return upright, italic
        for path in own_font_files(root, script_of(self.locale)):
            shown = path.relative_to(root).as_posix()
            content = read_bytes(path, shown)
            name = f"own {digest_of_content(content)}"
            _contents[name] = content
            if _typeface(name, 400) is None:
                raise one_problem(shown, None, "", "isn't a font that can be read", "Put a TTF or OTF file there.")
            kind = italic if _typeface(name, 400).fontStyle().slant() != skia().FontStyle.kUpright_Slant else upright
            kind.append(name)
        return upright or italic, italic

    def _family(self, key: str, path: str, weight: int) -> str:
        """Register one font at one weight under a family name of its own; return that name."""
        if (key, weight) not in self._registered:
            family = f"{key} {weight}"
            face = _typeface(path, weight)
            self.provider.registerTypeface(face, family)
            self._faces[family] = face
            self._registered[key, weight] = family
        return self._registered[key, weight]

    def families(self, text: str, weight: int, italic: bool = False) -> list[str]:
        """Return the family names to set a text with; only fonts that the text needs are opened.

        An italic is asked for first where one is wanted; scripts that have none stay upright. Raises
        MissingCharactersError when no font has a character.
        """
        key = (text, weight, italic)
        if key not in self._chosen:
            self._chosen[key] = self._choose(*key)
        return self._chosen[key]

    def missing(self, text: str) -> list[str]:
        """Return the characters of a text that no font has."""
        try:
            self.families(text, 400)
        except MissingCharactersError as error:
            return error.characters
        return []

    def settable(self, text: str) -> str:
        """Return a text for a label of ours: a question mark stands for what no font has."""
        unknown = set(self.missing(text))
        return "".join("?" if char in unknown else char for char in text) if unknown else text

    def _choose(self, text: str, weight: int, italic: bool) -> list[str]:
        wanted = [c for c in dict.fromkeys(text) if not _needs_no_glyph(c)]
        chosen: list[str] = []
        slanted = _ITALIC if italic else ()
        own = [*self._own_italic, *self._own] if italic else self._own
        for key, path in [*((p, p) for p in own), *((n, "") for n in (*slanted, *self._order))]:
            if not wanted and chosen:
                break
            face = _typeface(path or packaged_path(key), weight)
            left = [c for c in wanted if not face.unicharToGlyph(ord(c))]
            if len(left) < len(wanted) or (key == "Inter" and not slanted):
                chosen.append(self._family(key, path or packaged_path(key), weight))
            wanted = left
        for char in list(wanted):
            if family := self._from_system(char):
                chosen.append(family)
                wanted.remove(char)
        if wanted:
            raise MissingCharactersError(wanted)
        return chosen

    def _from_system(self, char: str) -> str | None:
        sk = skia()
        face = sk.FontMgr.RefDefault().matchFamilyStyleCharacter("", sk.FontStyle.Normal(), [self.locale], ord(char))
        if face is None or not face.unicharToGlyph(ord(char)):
            return None
        family = f"system {face.getFamilyName()}"
        if family not in self._faces:
            self.provider.registerTypeface(face, family)
            self._faces[family] = face
        return family


def _needs_no_glyph(char: str) -> bool:
    return (
        char in _JOINERS or unicodedata.category(char) in ("Cc", "Cf", "Zs", "Zl", "Zp") or "\ufe00" <= char <= "\ufe0f"
    )


class MissingCharactersError(Exception):
    """No font has these characters."""

    def __init__(self, characters: list[str]) -> None:
        self.characters = characters
        super().__init__(describe(characters))


def describe(characters: list[str]) -> str:
    """Name characters as in `"🜂" (U+1F702 ALCHEMICAL SYMBOL FOR FIRE)`."""
    return ", ".join(f'"{c}" (U+{ord(c):04X} {unicodedata.name(c, "without a name")})' for c in characters)
