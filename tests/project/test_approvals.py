"""Texts that somebody approved, and locales that are taken out."""

import tavolan
from conftest import replace, run_tavolan, standings


def approve(root, *options):
    return run_tavolan("locale", "approve", *options, cwd=root)


def test_an_approved_text_stays_so_until_it_or_its_source_changes(project):
    done = approve(project, "de-DE", "--field", "title", "--field", "captions.home", "--by", "Ada")
    assert done.code == 0 and "2 texts approved" in done.out
    assert standings(project, "de-DE")["title"] == "approved"
    assert ",Ada," in (project / "copy/approved.csv").read_text(encoding="utf-8")
    assert "0 texts approved" in approve(project, "de-DE", "--field", "title").out
    run_tavolan("copy", "set", "en-US", "title", "Potto: other", cwd=project)
    assert standings(project, "de-DE")["title"] == "outdated"
    # In bulk, what no longer serves its source is left; by its name it's approved for the source as it is now.
    bulk = approve(project, "de-DE")
    assert bulk.code == 1 and "left: de-DE title: the en-US text changed" in bulk.out
    assert approve(project, "de-DE", "--field", "title").code == 0
    assert standings(project, "de-DE")["title"] == "approved"
    run_tavolan("copy", "set", "de-DE", "title", "Potto: anders", cwd=project)
    assert standings(project, "de-DE")["title"] == "translated"
    assert standings(project, "de-DE")["captions.home"] == "approved"


def test_what_is_over_its_limit_isnt_approved_and_approvals_are_taken_back(project):
    replace(project / "copy/de-DE.toml", 'title = "Potto: de-DE"', f'title = "{"x" * 31}"')
    done = approve(project, "--all", "--dry-run")
    assert done.code == 1 and "left: de-DE title: 31 characters, 1 over" in done.out
    assert not (project / "copy/approved.csv").exists()
    assert approve(project, "--all").code == 1
    count = len(tavolan.open_project(project).approvals)
    shown = approve(project, "--all", "--take-back", "--dry-run")
    assert f"{count} approvals would be taken back" in shown.out
    assert count > 10 and f"{count} approvals taken back" in approve(project, "--all", "--take-back").out
    assert approve(project, "de-DE", "--field", "titel").code == 2 and approve(project).code == 2
    assert approve(project, "xx").code == 2 and approve(project, "de-DE", "--by", " ").code == 2


def test_a_damaged_file_of_approvals_is_named_with_its_line(project):
    (project / "copy/approved.csv").write_text("locale,field,text,source,who,day\nde-DE,title,a,b,Ada,soon\n")
    done = run_tavolan("check", cwd=project)
    assert done.code == 3 and "copy/approved.csv:2" in done.err


def contents(root):
    return {
        path.name: path.read_bytes()
        for name in ("copy", "terms", ".")
        for path in (root / name).glob("*.*")
        if path.is_file()
    }


def test_a_locale_is_taken_out_with_its_texts_and_comes_back_by_undo(project):
    approve(project, "de-DE", "--field", "title")
    before = contents(project)
    shown = run_tavolan("locale", "remove", "de-DE", "--dry-run", cwd=project)
    assert shown.code == 0 and "copy/de-DE.toml" in shown.out and (project / "copy/de-DE.toml").exists()
    assert run_tavolan("locale", "remove", "de-DE", cwd=project).code == 2
    done = run_tavolan("locale", "remove", "de-DE", "--yes", cwd=project)
    assert done.code == 0 and not (project / "copy/de-DE.toml").exists()
    opened = tavolan.open_project(project)
    assert "de-DE" not in opened.app.locales and not [key for key in opened.approvals if key[0] == "de-DE"]
    assert run_tavolan("check", cwd=project).code in (0, 1)
    assert run_tavolan("undo", cwd=project).code == 0
    assert contents(project) == before


def test_a_locale_that_something_needs_stays(project):
    replace(project / "tavolan.toml", '"ar-SA"]', '"ar-SA", "de-AT"]')
    (project / "copy/de-AT.toml").write_text('like = "de-DE"\n', encoding="utf-8")
    for tag, why in (("en-US", "written in it first"), ("de-DE", "de-AT take texts from it"), ("xx", "has no")):
        done = run_tavolan("locale", "remove", tag, "--yes", cwd=project)
        assert done.code == 2 and why in done.err, done.err


def test_a_locked_text_is_changed_by_no_command_until_its_lock_is_taken_back(project, tmp_path):
    assert approve(project, "de-DE", "--field", "title", "--by", "Ada").code == 0
    done = approve(project, "de-DE", "--field", "title", "--by", "Ada", "--lock")
    assert "1 text approved and locked" in done.out
    before = (project / "copy/de-DE.toml").read_bytes()
    setting = run_tavolan("copy", "set", "de-DE", "title", "Potto: anders", cwd=project)
    assert setting.code == 3 and "is locked by Ada" in setting.err and "--take-back" in setting.err
    replacing = run_tavolan("copy", "replace", "de-DE", "xx", "--locale", "de-DE", "--yes", cwd=project)
    assert replacing.code == 3 and "title: is locked by Ada" in " ".join(replacing.err.split())
    sent = tmp_path / "sent"
    assert run_tavolan("locale", "send", "--all", "--locale", "de-DE", "--out", str(sent), cwd=project).code == 0
    replace(sent / "de-DE.xlf", "<target>Potto: de-DE</target>", "<target>Potto: neu</target>")
    received = run_tavolan("locale", "receive", str(sent / "de-DE.xlf"), cwd=project)
    assert received.code == 1 and "refused   de-DE title: is locked by Ada" in received.out
    assert (project / "copy/de-DE.toml").read_bytes() == before
    # In its file anybody can change it: that's found.
    replace(project / "copy/de-DE.toml", 'title = "Potto: de-DE"', 'title = "Potto: anders"')
    found = run_tavolan("check", "--format", "csv", cwd=project).out
    assert "locked-changed" in found and "was locked by Ada on" in found
    # Approved again as it is now, it's still locked.
    assert approve(project, "de-DE", "--by", "Bo").code == 0
    assert "locked-changed" not in run_tavolan("check", "--format", "csv", cwd=project).out
    assert "is locked by Bo" in run_tavolan("copy", "set", "de-DE", "title", "Potto: neu", cwd=project).err
    assert approve(project, "de-DE", "--field", "title", "--take-back").code == 0
    assert run_tavolan("copy", "set", "de-DE", "title", "Potto: neu", cwd=project).code == 0
    assert "locked-changed" not in run_tavolan("check", "--format", "csv", cwd=project).out


def test_a_file_of_approvals_from_before_locks_is_read(project):
    assert approve(project, "de-DE", "--field", "title").code == 0
    path = project / "copy/approved.csv"
    path.write_text("\n".join(line.rpartition(",")[0] for line in path.read_text().splitlines()) + "\n")
    assert standings(project, "de-DE")["title"] == "approved"
