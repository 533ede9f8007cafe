"""What the documentation shows is true."""

from __future__ import annotations

import json
import re
import shlex
import sys
from pathlib import Path

import jsonschema
import pytest

from muddled_orchard.commands.json_outputs import OUTPUTS, finding_schemas, output_schema
from tests.conftest import muddled, shell
from tests.test_class import RIGHT

DOCS = Path(__file__).parent.parent / "docs"


def blocks(page: str, language: str) -> list[str]:
    """The fenced blocks of a page in a language, in order."""
    parts = re.split(r"^```(.*)\n", (DOCS / page).read_text("utf-8"), flags=re.MULTILINE)
    return [text for named, text in zip(parts[1::4], parts[2::4], strict=True) if named == language]


def test_the_scenario_on_the_page_works_and_its_errors_are_those_on_the_page(tmp_path: Path) -> None:
    shortest, text, *others = (*blocks("scenarios.md", "toml"), *blocks("answers.md", "toml"))
    (tmp_path / "shortest.toml").write_text(shortest, "utf-8")
    assert "The key covers the conflict." in muddled("survey", "shortest.toml", folder=tmp_path).stdout
    for number, other in enumerate(others):
        (tmp_path / f"{number}.toml").write_text(other, "utf-8")
        assert "✓ The key " in muddled("survey", f"{number}.toml", folder=tmp_path).stdout
    (part,) = blocks("answers.md", "toml-part")
    (tmp_path / "part.toml").write_text(shortest + part, "utf-8")
    assert (
        "runs python3 check.py (not run; --run-rules)"
        in muddled("survey", "part.toml", folder=tmp_path).stdout
    )
    path = tmp_path / "hive-count.toml"
    path.write_text(text, "utf-8")
    muddled("plant", path.name, "practice", folder=tmp_path)
    assert "CONFLICT" in shell(tmp_path / "practice/work", "git merge count || true")
    shown = blocks("answers.md", "")[-1]
    wrong = text.replace('from = "main"', 'from = "mian"').replace('keep = ["theirs"]', 'kep = ["theirs"]')
    path.write_text(wrong, "utf-8")
    assert muddled("plant", path.name, "again", folder=tmp_path, code=2).stderr == shown


def test_a_job_of_continuous_integration(tmp_path: Path) -> None:
    """As a runner does it: the newest commit alone, on no branch, in an empty folder; then what the page says,
    and once more with what the first run left."""
    script = (DOCS / "ci.md").read_text("utf-8").split("```")[1].strip()
    muddled("plant", "press-limit", "practice", folder=tmp_path)
    shell(tmp_path / "practice/work", f"{RIGHT}\ngit clone -q --bare . {tmp_path}/server.git")
    runner = (
        f"mkdir -p job; cd job; git init -q; git remote add origin file://{tmp_path}/server.git || true\n"
        "git fetch -q --depth=1 origin main:refs/remotes/origin/main; git checkout -q --detach origin/main\n"
        f'muddled() {{ {shlex.quote(sys.executable)} -m muddled_orchard "$@"; }}\n'
        f"{script}; echo exit $?"
    )
    for time in range(2):
        assert shell(tmp_path, runner).splitlines()[-1] == "exit 0", time
    assert "26 of 26" in (tmp_path / "job/summary.md").read_text("utf-8")
    assert 'failures="0"' in (tmp_path / "job/grades.xml").read_text("utf-8")


def test_no_page_is_long_and_no_line_scrolls() -> None:
    """But for what is made, and for tables and blocks, whose cells have at most a hundred letters."""
    for page in (*DOCS.glob("*.md"), DOCS.parent / "README.md", DOCS.parent / "CONTRIBUTING.md"):
        text = page.read_text("utf-8")
        assert len(text.splitlines()) < 250 or page.name == "commands.md", page
        for line in re.sub(r"(?ms)^```.*?^```", "", text).splitlines():
            cells = line.strip("|").split("|") if line.startswith("|") else ()
            assert (
                len(line) <= 110
                or (cells and all(len(cell.strip()) <= 100 for cell in cells))
                or line.startswith("    ")
            ), (page, line)


def test_every_link_of_the_pages_leads_somewhere() -> None:
    for page in (*DOCS.glob("*.md"), DOCS.parent / "README.md", DOCS.parent / "CONTRIBUTING.md"):
        for link in re.findall(r"\]\((?!https)([^)#]+)", page.read_text("utf-8")):
            assert (page.parent / link).exists(), (page, link)


def test_the_result_file_is_as_its_schema_says(tmp_path: Path) -> None:
    schema = json.loads((DOCS / "schemas/grade.json").read_text("utf-8"))
    muddled("demo", folder=tmp_path)
    (tmp_path / "muddled-demo/handed-in/empty").mkdir()
    (tmp_path / "muddled-demo/handed-in/empty/note.txt").touch()
    rest = ("--ledger", "muddled-demo/orchard.db", "--json")
    result = json.loads(muddled("grade", "muddled-demo/handed-in", *rest, folder=tmp_path).stdout)
    jsonschema.validate(result, schema)
    assert {one["state"] for one in result["submissions"]} == {"finished", "open", "untouched", "unreadable"}
    (example,) = blocks("results.md", "json")
    jsonschema.validate(json.loads(example), schema)
    (suvi,) = json.loads(example)["submissions"]
    (found,) = [one for one in result["submissions"] if one["submission"] == suvi["submission"]]
    assert json.loads(example)["class"] == [one for one in result["class"] if one["kind"] == "missing"]
    assert {**found, "criteria": [c for c in found["criteria"] if c["id"] == "resolution"]} == suvi


def test_every_json_output_is_as_its_schema_says(tmp_path: Path) -> None:
    schemas = {path.stem: json.loads(path.read_text("utf-8")) for path in (DOCS / "schemas").glob("*.json")}
    made = {"findings": finding_schemas(), **{name: output_schema(name) for name in OUTPUTS}}
    assert schemas == json.loads(json.dumps(made)), "make them anew with scripts/schema"
    (tmp_path / "roster.csv").write_text("id,name,group\nada,Ada,red\n", "utf-8")
    (tmp_path / "bad.toml").write_text("titel = 3\n", "utf-8")
    muddled(
        "handout", "there-and-back", "--roster", "roster.csv", "--out", "before", "--quiet", folder=tmp_path
    )
    for command, code in (
        (["catalogue"], 0),
        (["survey", "bad.toml", "rebase-four", "gone-price-list"], 1),
        (["rehearse", "quiet-merge"], 0),
        (["plant", "stale-main", "practice"], 0),
        (["handout", "press-limit", "--roster", "roster.csv", "--out", "out"], 0),
        (["peek", "practice"], 1),
        (["grade", "out", "practice", "--for-learner"], 0),
        (["ledger"], 0),
    ):
        data = json.loads(muddled(*command, "--json", folder=tmp_path, code=code).stdout)
        jsonschema.validate(data, schemas[command[0]])
        assert data["format"] == 1
    with pytest.raises(jsonschema.ValidationError):
        jsonschema.validate({**data, "more": 1}, schemas["ledger"])
