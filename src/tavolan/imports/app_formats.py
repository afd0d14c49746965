"""Read what an app's build files say of it: property lists, settings, Gradle files and XML manifests, as text."""

import plistlib
import re
from collections.abc import Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any
from xml.parsers.expat import ExpatError

from tavolan.errors import ProjectError
from tavolan.support.shipped import shipped_toml
from tavolan.support.xmlfile import parse_xml

FORMATS = shipped_toml(Path(__file__).parent / "app_files.toml")
_VARIABLE = re.compile(r"\$\((\w+)(?::\w+)?\)|\$\{(\w+)\}")
_SETTING = re.compile(r'^\s*"?(\w+)"?\s*=\s*"?([^";\n]*?)"?\s*;?\s*(?://.*)?$', re.MULTILINE)
_QUOTED = re.compile(r"""["']([^"'\n]+)["']""")
_COMMENT = re.compile(r"/\*.*?\*/|(?<![:\"'\w])//[^\n]*", re.DOTALL)
_LABEL = "{http://schemas.android.com/apk/res/android}label"
# A folder of texts in a language: values-de, values-pt-rBR, values-b+sr+Latn, de.lproj.
_VALUES = re.compile(r"values-(?:([a-z]{2,3})(?:-r([A-Z]{2}))?|b\+([A-Za-z0-9+]+))")
_BUNDLE = re.compile(r"([A-Za-z]{2,3}(?:[-_][A-Za-z0-9]+)*)\.lproj")


@dataclass
class AppFacts:
    """What one kind of build file says; "" and empty where it says nothing."""

    name: str = ""
    version: str = ""
    source: str = ""
    minimum_system: str = ""
    languages: list[str] = field(default_factory=list)
    devices: list[str] = field(default_factory=list)


def facts_of_property_list(data: bytes, settings: Mapping[str, str]) -> AppFacts | None:
    """Return what a property list says, XML or binary; None where it's none of an app."""
    try:
        held = plistlib.loads(data)
    except (plistlib.InvalidFileException, ExpatError, ValueError, RecursionError, OverflowError):
        return None
    if not isinstance(held, dict) or held.get("CFBundlePackageType", "APPL") not in (
        "APPL",
        "$(PRODUCT_BUNDLE_PACKAGE_TYPE)",
    ):
        return None
    keys = FORMATS["property_list"]
    if not any(key in held for key in (*keys["name"], *keys["version"])):
        return None
    found = {what: _first(held, names, settings) for what, names in keys.items()}
    devices = found["devices"] if isinstance(found["devices"], list) else []
    return AppFacts(
        _word(found["name"]) or _setting("name", settings),
        _word(found["version"]) or _setting("version", settings),
        _word(found["source"]),
        _word(found["minimum_system"]) or _setting("minimum_system", settings),
        [str(each) for each in found["languages"]] if isinstance(found["languages"], list) else [],
        _forms([str(each) for each in devices] or re.findall(r"\d", _setting("devices", settings))),
    )


def _first(held: Mapping[str, Any], names: list[str], settings: Mapping[str, str]) -> Any:
    for name in names:
        value = held.get(name)
        if isinstance(value, str):
            value = _resolved(value, settings)
        if value:
            return value
    return ""


def _resolved(text: str, settings: Mapping[str, str]) -> str:
    """Return a value with its variables; "" where one isn't known."""
    for _ in range(5):
        if not (found := _VARIABLE.search(text)):
            return text
        value = settings.get(found[1] or found[2])
        if value is None:
            return ""
        text = text[: found.start()] + value + text[found.end() :]
    return ""


def _setting(what: str, settings: Mapping[str, str]) -> str:
    named = (_resolved(settings[name], settings) for name in FORMATS["settings"][what] if name in settings)
    return next((value for value in named if value), "")


def _word(value: Any) -> str:
    return value.strip() if isinstance(value, str) else ""


def _forms(numbers: list[str]) -> list[str]:
    forms = FORMATS["device_forms"]
    return [forms[number] for number in dict.fromkeys(numbers) if number in forms]


def settings_in(text: str) -> dict[str, str]:
    """Return build settings, as in NAME = value; the last one counts."""
    return {name: value for name, value in _SETTING.findall(_COMMENT.sub("", text)) if name.isupper() or "KEY_" in name}


def facts_of_gradle(text: str) -> AppFacts | None:
    """Return what a Gradle file says, in either of its languages; None where it builds no app."""
    plain = _COMMENT.sub("", text)
    keys = FORMATS["gradle"]
    found = AppFacts()
    for name in keys["version"]:
        if match := re.search(rf"""\b{name}\s*(?:=|\()?\s*["']([^"'$\n]+)["']""", plain):
            found.version = found.version or match[1]
    for name in keys["minimum_system"]:
        if match := re.search(rf"\b{name}\s*(?:=|\()?\s*(\d+)", plain):
            found.minimum_system = found.minimum_system or match[1]
    for name in keys["languages"]:
        for match in re.finditer(rf"\b{name}\b[^\n(]*(?:\([^)]*\)|[^\n]*)", plain):
            found.languages += [tag for tag in _QUOTED.findall(match[0]) if language_of_folder(f"values-{tag}")]
    return found if found.version or found.minimum_system else None


def label_of_manifest(data: bytes) -> str:
    """Return the app's label in an XML manifest: words, or a name as in @string/app_name; "" where it has none."""
    try:
        application = parse_xml(data, "manifest").find("application")
    except ProjectError:
        return ""
    return "" if application is None else application.get(_LABEL, "")


def string_of(data: bytes, name: str) -> str:
    """Return a text of an XML file of texts by its name; "" where it isn't there."""
    try:
        texts = parse_xml(data, "texts")
    except ProjectError:
        return ""
    found = next((each for each in texts if each.tag == "string" and each.get("name") == name), None)
    return "" if found is None else re.sub(r"\\(.)", r"\1", "".join(found.itertext())).strip().strip('"')


def language_of_folder(name: str) -> str:
    """Return the language tag that a folder of texts is named after; "" for any other folder."""
    if found := _BUNDLE.fullmatch(name):
        return found[1].replace("_", "-") if found[1] != "Base" else ""
    if found := _VALUES.fullmatch(name):
        return found[3].replace("+", "-") if found[3] else "-".join(filter(None, found.groups()[:2]))
    return ""
