"""A project begun from an app's own build files: `tavolan new --from-app`."""

import plistlib
import tomllib
import zipfile

import pytest
from hypothesis import given
from hypothesis import strategies as st

from conftest import run_tavolan
from tavolan.imports.app_formats import (
    facts_of_gradle,
    facts_of_property_list,
    label_of_manifest,
    language_of_folder,
    settings_in,
)

LIST = {
    "CFBundleDisplayName": "Potto",
    "CFBundlePackageType": "$(PRODUCT_BUNDLE_PACKAGE_TYPE)",
    "CFBundleShortVersionString": "$(MARKETING_VERSION)",
    "CFBundleDevelopmentRegion": "en",
}
SETTINGS = '\tMARKETING_VERSION = 2.4.1;\n\tMINIMUM = 1; // old\n\tIPHONEOS_DEPLOYMENT_TARGET = 16.0;\n\tTARGETED_DEVICE_FAMILY = "1,2";\n'
GRADLE = """android {
  // versionName = "0.1"
  defaultConfig {
    applicationId = "org.example.potto"   /* versionName = "0.2" */
    minSdk = 24
    versionName = "2.4.0"
    %s
  }
}
"""
NAMESPACE = 'xmlns:android="http://schemas.android.com/apk/res/android"'
MANIFEST = f'<manifest {NAMESPACE}><application android:label="@string/app_name"/></manifest>'


def write(path, content):
    path.parent.mkdir(parents=True, exist_ok=True)
    path.write_bytes(content if isinstance(content, bytes) else content.encode())


@pytest.fixture
def app(tmp_path):
    """The folder of an app for both systems, with files in it that aren't the app's own."""
    root = tmp_path / "app"
    write(root / "Potto/Info.plist", plistlib.dumps(LIST))
    write(root / "Potto.xcodeproj/project.pbxproj", SETTINGS)
    for language in ("en", "de", "zh-Hans", "Base"):
        write(root / f"Potto/{language}.lproj/Texts.strings", '"a" = "b";')
    write(root / "Pods/Other/Info.plist", plistlib.dumps({**LIST, "CFBundleDisplayName": "Other"}))
    write(root / "Kit/Info.plist", plistlib.dumps({**LIST, "CFBundlePackageType": "FMWK"}))
    write(root / "android/build.gradle", "plugins { }")
    write(root / "android/app/build.gradle.kts", GRADLE % "")
    below = root / "android/app/src/main"
    write(below / "AndroidManifest.xml", MANIFEST)
    for folder in (
        "values",
        "values-de",
        "values-pt-rBR",
        "values-b+sr+Latn",
        "values-night",
        "values-v21",
        "values-fr",
    ):
        write(below / f"res/{folder}/strings.xml", "<resources><string name='app_name'>Potto\\'s</string></resources>")
    return root


def begun(app, *options):
    """Return the [app] table of a project that's begun from an app, and what was printed."""
    done = run_tavolan("new", "mine", "--from-app", app, *options, cwd=app.parent)
    assert done.code == 0, done.err
    return tomllib.loads((app.parent / "mine/tavolan.toml").read_text("utf-8"))["app"], done.out


def test_name_version_languages_and_devices_are_read(app):
    table, said = begun(app)
    assert (table["name"], table["version"], table["runs_on"]) == ("Potto", "2.4.1", ["phone", "tablet"])
    assert table["source"] == "en-US"
    assert sorted(table["locales"]) == ["de", "en-US", "fr-FR", "pt-BR", "sr-Latn", "zh-Hans"]
    assert "Potto/Info.plist: name Potto; version 2.4.1" in said and "minimum system 16.0" in said
    assert "minimum system 24" in said
    assert run_tavolan("check", "--project", app.parent / "mine").code == 0


def test_what_is_given_by_hand_counts_before_it(app):
    table, _ = begun(app, "--name", "Mine", "--first-locale", "de-DE", "--store", "android", "--locale", "ja")
    assert (table["name"], table["source"]) == ("Mine", "de-DE")
    assert "ja" in table["locales"] and "de" not in table["locales"]


def test_an_archive_is_read_by_its_property_list(app, tmp_path):
    built = {**LIST, "CFBundleShortVersionString": "3.0", "MinimumOSVersion": "17.0", "UIDeviceFamily": [1]}
    archive = tmp_path / "potto.zip"
    with zipfile.ZipFile(archive, "w") as opened:
        opened.writestr("Payload/Potto.app/Info.plist", plistlib.dumps(built, fmt=plistlib.FMT_BINARY))
        opened.writestr("Payload/Potto.app/ja.lproj/Texts.strings", "")
    done = run_tavolan("new", "mine", "--from-app", archive, cwd=tmp_path)
    assert done.code == 0, done.err
    table = tomllib.loads((tmp_path / "mine/tavolan.toml").read_text("utf-8"))["app"]
    assert (table["version"], table["locales"], table["runs_on"]) == ("3.0", ["en-US", "ja"], ["phone"])


def test_what_says_nothing_is_an_error_that_tells_what_is_read(app, tmp_path):
    (tmp_path / "empty").mkdir()
    write(tmp_path / "broken.zip", b"PK\x03\x04 not one")
    for place, code, said in (
        ("empty", 2, "--name"),
        ("broken.zip", 3, "neither a folder nor an archive"),
        ("none", 3, "none"),
    ):
        done = run_tavolan("new", "mine", "--from-app", place, cwd=tmp_path)
        assert done.code == code and said in done.err, done.err
    done = run_tavolan("new", "mine", "--from-app", "app", "--console", "http://127.0.0.1:9", cwd=tmp_path)
    assert done.code == 2 and "exclude each other" in done.err
    assert not (tmp_path / "mine").exists()


@pytest.mark.parametrize(
    ("text", "version", "minimum"),
    [
        ("defaultConfig { versionName '1.2' minSdkVersion 21 }", "1.2", "21"),
        ('versionName("1.3")\nminSdk = 26', "1.3", "26"),
        ('versionName "$major.1"\nminSdkVersion 23', "", "23"),
        ("versionName = libs.versions.name.get()", None, None),
    ],
)
def test_gradle_files_of_both_languages_are_read(text, version, minimum):
    facts = facts_of_gradle(text)
    assert (facts and facts.version, facts and facts.minimum_system) == (version, minimum)


def test_languages_that_a_gradle_file_keeps_are_those_of_the_app():
    assert facts_of_gradle(GRADLE % 'resConfigs("de", "pt-rBR", "hdpi")').languages == ["de", "pt-rBR"]


def test_a_value_that_stands_nowhere_is_not_known():
    facts = facts_of_property_list(plistlib.dumps(LIST), settings_in("MARKETING_VERSION = $(MARKETING_VERSION);"))
    assert (facts.name, facts.version) == ("Potto", "")


@pytest.mark.parametrize(
    ("folder", "tag"),
    [("values-pt-rBR", "pt-BR"), ("values-b+sr+Latn", "sr-Latn"), ("zh_Hans.lproj", "zh-Hans"), ("values-night", ""),
     ("values-sw600dp", ""), ("Base.lproj", ""), ("values", "")],
)  # fmt: skip
def test_folders_are_named_after_languages(folder, tag):
    assert language_of_folder(folder) == tag


@given(st.binary(max_size=200))
def test_no_file_breaks_the_readers(data):
    facts_of_property_list(data, {})
    facts_of_gradle(data.decode("utf-8", "replace"))
    label_of_manifest(data)
