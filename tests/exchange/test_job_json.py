"""A job as JSON gives back the very same entries, and nothing else is taken for one."""

from __future__ import annotations

import json

import pytest

from tests.mill import mill
from vivid_keel.cli import main
from vivid_keel.core.errors import KeelError
from vivid_keel.core.record.entries import Draft
from vivid_keel.exchange.desktop import quoted
from vivid_keel.exchange.job_json import read_job, write_job
from vivid_keel.files import JobFile
from vivid_keel.trades.registry import job_kinds


@pytest.fixture
def demo(tmp_path):
    with mill(tmp_path / "mill.keel") as file:
        yield file


def test_round_trip(demo):
    entries = list(demo.journal.entries.values())
    sources = demo.sources()
    assert read_job(write_job(entries, sources), job_kinds()) == (entries, sources)


@pytest.mark.parametrize(
    ("change", "code", "where"),
    [
        (lambda d: d.update(format="other"), "not-a-job", "/format"),
        (lambda d: d.update(version=3), "newer-file", "/version"),
        (lambda d: d.update(entries=[]), "missing-field", "/entries"),
        (lambda d: d["entries"][3].pop("kind"), "missing-field", "/entries/3/kind"),
        (lambda d: d["entries"][3].update(extra=1), "unknown-field", "/entries/3/extra"),
        (lambda d: d["entries"][3].update(id="x"), "wrong-type", "/entries/3/id"),
        (lambda d: d["entries"][5]["body"].update(name=7), "wrong-type", "/entries/5/body/name"),
        (lambda d: d["entries"][5].update(after=900), "unknown-name", "/entries/5"),
        (lambda d: d["entries"].insert(2, d["entries"][0]), "bad-value", "/entries/2"),
    ],
)
def test_anything_else_is_refused_by_pointer(demo, change, code, where):
    document = json.loads(write_job(demo.journal.entries.values()))
    change(document)
    with pytest.raises(KeelError, match=".") as refused:
        read_job(json.dumps(document), job_kinds())
    assert (refused.value.code, refused.value.where) == (code, where)


def test_by_command_line(demo, tmp_path, capsys):
    demo.close()
    assert main(["to-json", str(demo.path)]) == 0
    (tmp_path / "mill.json").write_text(capsys.readouterr().out)
    assert main(["from-json", str(tmp_path / "mill.json"), str(tmp_path / "again.keel")]) == 0
    with JobFile.open(tmp_path / "again.keel") as again:
        assert again.journal.entries == demo.journal.entries
    assert main(["from-json", str(tmp_path / "mill.json"), str(tmp_path / "again.keel")]) == 2
    assert "there already" in capsys.readouterr().err


def test_solve_on_the_command_line(tmp_path, capsys):
    problem = tmp_path / "sight.json"
    problem.write_text('{"kind": "sight", "problem": {"middle_m": 1.5, "uper_m": 2}}')
    assert main(["solve", str(problem)]) == 2
    said = capsys.readouterr()
    assert said.out == ""
    assert json.loads(said.err)["error"]["where"] == "/problem/uper_m"
    assert main(["solve", str(tmp_path / "none.json")]) == 2
    assert "no-file" in capsys.readouterr().err


def test_desktop_entry_comes_and_goes(tmp_path, capsys):
    assert main(["install-desktop"]) == 0
    written = capsys.readouterr().out.split("\n")[:2]
    entry = (tmp_path / "data" / "applications" / "vivid-keel.desktop").read_text()
    assert str(tmp_path) in written[0]
    assert 'vivid-keel" app %f' in entry
    assert main(["install-desktop", "--remove"]) == 0
    assert not (tmp_path / "data" / "applications" / "vivid-keel.desktop").exists()


@pytest.mark.parametrize(
    ("path", "exec"),
    [
        ("/opt/mill/vivid-keel", '"/opt/mill/vivid-keel"'),
        ("/home/a b/vivid-keel", '"/home/a b/vivid-keel"'),
        ("/home/100 %/vivid-keel", '"/home/100 %%/vivid-keel"'),
        (
            "/home/$HOME/vivid-keel",
            '"/home/\\\\$HOME/vivid-keel"',
        ),  # quoted, then a backslash once more as in any value
        ('/home/"x"/`y`', '"/home/\\\\"x\\\\"/\\\\`y\\\\`"'),
    ],
)
def test_a_menu_entry_quotes_by_the_rules(path, exec):
    assert quoted(path) == exec


def test_a_menu_that_can_not_be_written_is_said_in_a_sentence(monkeypatch, tmp_path, capsys):
    (tmp_path / "data").write_text("a file where a folder should be")
    assert main(["install-desktop"]) == 2
    assert "can't be written" in capsys.readouterr().err


def test_from_json_blames_the_right_file_and_leaves_nothing(tmp_path, capsys, demo):
    source = tmp_path / "job.json"
    source.write_text(write_job(demo.journal.entries.values(), demo.sources()))
    assert main(["from-json", str(source), str(tmp_path / "none" / "new.keel")]) == 2
    told = json.loads(capsys.readouterr().err)["error"]
    assert "new.keel can't be made" in told["message"] and "job.json" not in told["message"]
    assert main(["from-json", str(tmp_path / "none.json"), str(tmp_path / "new.keel")]) == 2
    assert "none.json" in json.loads(capsys.readouterr().err)["error"]["message"]
    assert not (tmp_path / "new.keel").exists()


@pytest.mark.parametrize("name", ["a\x00b", "a\x1bb", "a\ud800b", "n" * 30_000])
def test_names_that_can_not_be_shown_are_refused_on_the_way_in(name, demo):
    told = json.loads(write_job(demo.journal.entries.values()))
    told["entries"][0]["body"]["name"] = name
    with pytest.raises(KeelError) as refused:
        read_job(json.dumps(told), job_kinds())
    assert refused.value.where.startswith("/entries/0/body")
    with pytest.raises(KeelError):
        demo.record([Draft(0, "matter", {"text": name})])
