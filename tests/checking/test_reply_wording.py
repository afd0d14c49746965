"""What doesn't belong in a reply to a review: length, language, names, promises of a time, requests for stars."""

import pytest

import tavolan
from conftest import replace
from tavolan.checking.replies import reply_faults, wording_faults


@pytest.fixture
def opened(project):
    config = project / "tavolan.toml"
    config.write_text(config.read_text("utf-8") + '\n[guard]\nbrands = ["Zorglaze"]\n', "utf-8")
    return tavolan.open_project(project)


@pytest.mark.parametrize(("locale", "text", "rules"), [
    ("en-US", "Thank you. Please sign in again, and write to help@potto.example.", []),
    ("en-US", "Since 2.4 the alarm rings three times, and may ring in March.", []),
    ("en-US", "x" * 5970, []),
    ("en-US", "x" * 5971, ["reply-too-long"]),
    ("en-US", "This is the fix for {version}.", ["reply-variable"]),
    ("en-US", "Zorglaze does that too.", ["reply-name"]),
    ("en-US", "It works like on Android.", ["reply-name"]),
    ("en-US", "It comes next week.", ["reply-promise"]),
    ("en-US", "It comes in 12 days.", ["reply-promise"]),
    ("en-US", "It comes on Friday, and by 2027-01-31 at the latest.", ["reply-promise"]),
    ("en-US", "We hope for five stars!", ["reply-stars"]),
    ("en-US", "Give us ★★★★★", ["reply-stars"]),
    ("de-DE", "Es kommt in 3 Wochen, am 5. März.", ["reply-promise"]),
    ("de-DE", "Guten Morgen, und danke für die Worte!", []),
    ("de-DE", "Thank you for the words, and have a good day with it.", ["reply-language"]),
    ("de-DE", "Спасибо за ваш отзыв", ["reply-language"]),
    ("ar-SA", "سنصلحه غدا", ["reply-promise"]),
    ("ja-JP", "3日後に直ります", ["reply-promise"]),
    ("ko-KR", "다음 주에 고칩니다", ["reply-promise"]),
    ("fr-FR", "Pourriez-vous modifier votre avis ?", ["reply-stars"]),
])  # fmt: skip
def test_faults_of_replies(opened, locale, text, rules):
    assert [fault.rule.id for fault in reply_faults(opened, "ios", locale, text)] == rules


def test_a_language_that_nobody_knows_has_days_of_the_calendar_only():
    assert [fault.subject for fault in wording_faults("tlh", "Qapla' 2027-01-31")] == ["2027-01-31"]


def test_texts_of_the_copy_files_are_checked_too(project):
    copy = project / "copy/en-US.toml"
    copy.write_text(
        copy.read_text("utf-8") + f'\n[replies]\nlater = "It comes in {{when}} tomorrow."\nlong = "{"x" * 5971}"\n'
    )
    found = {f"{f.field} {f.rule}": f for f in tavolan.check(tavolan.open_project(project)) if "replies" in f.field}
    assert {"replies.later reply-promise", "replies.long reply-too-long"} <= set(found)
    # A variable belongs there, and a fault of a reply stops no hand-over of the listing.
    assert not any("variable" in key for key in found) and {f.level for f in found.values()} <= {"warning", "note"}
    replace(copy, "tomorrow", "as it is")
    assert "replies.later reply-promise" not in {
        f"{f.field} {f.rule}" for f in tavolan.check(tavolan.open_project(project))
    }
