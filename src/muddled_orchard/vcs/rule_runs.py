"""Run the commands of a scenario's rules over a result: its files are written into a fresh folder, with the
instructor's own laid over them, and the command sees a copy of that in a sandbox."""

from __future__ import annotations

import os
import shlex
import shutil
import tempfile
from collections.abc import Mapping
from pathlib import Path

from muddled_orchard.core.exercise.scenario import Rule
from muddled_orchard.core.git.trees import EXECUTABLE, LINK, PLAIN_FILE, Tree, bad_path
from muddled_orchard.core.submission.evidence import RuleRun
from muddled_orchard.system import sandbox

_MOST_LINES, _LONGEST = 4, 160


def run_rules(
    rules: tuple[Rule, ...], tree: Tree, texts: Mapping[str, bytes], folder: Path
) -> dict[int, RuleRun]:
    """What became of each rule that runs a command, by its place among the rules. `folder` is ours."""
    found: dict[int, RuleRun] = {}
    for number, rule in enumerate(rules):
        if rule.runs is not None:
            place = Path(tempfile.mkdtemp(prefix="result-", dir=_beside(folder)))
            try:
                found[number] = _ran(rule, tree, texts, place)
            finally:
                shutil.rmtree(place, ignore_errors=True)
    return found


def _beside(folder: Path) -> str | None:
    """Where files are put that another user must come to: the private folder of a run is closed to them."""
    return None if os.geteuid() == 0 else str(folder)


def _ran(rule: Rule, tree: Tree, texts: Mapping[str, bytes], place: Path) -> RuleRun:
    try:
        _write(rule, tree, texts, place)
        sandbox.readable(place)
        ended = sandbox.run(place, shlex.split(rule.runs or ""), rule.seconds)
    except sandbox.NoSandbox as reason:
        return RuleRun(None, str(reason))
    except OSError as error:
        return RuleRun(None, f"its files can't be written: {error.strerror}")
    if ended.bound:
        return RuleRun(False, ended.bound)
    if ended.code == 0:
        return RuleRun(True)
    last = _last_lines(ended.output)
    how = f"it was ended by signal {-ended.code}" if ended.code < 0 else f"it ended with {ended.code}"
    return RuleRun(False, f"{how}: {last}" if last else how)


def _write(rule: Rule, tree: Tree, texts: Mapping[str, bytes], place: Path) -> None:
    own = {path: text.encode() for path, text in rule.with_.items()}
    folders = {parent for path in own for parent in _parents(path)}
    files: dict[str, tuple[int, bytes]] = {}
    for path, blob in tree.items():
        in_the_way = path in own or path in folders or any(parent in own for parent in _parents(path))
        if not in_the_way and not bad_path(path) and blob.id in texts:
            files[path] = (blob.mode, texts[blob.id])
    files |= {path: (PLAIN_FILE, data) for path, data in own.items()}
    # Links come last, so that nothing is written through one.
    for path, (mode, data) in sorted(files.items(), key=lambda item: item[1][0] == LINK):
        target = place / path
        target.parent.mkdir(parents=True, exist_ok=True)
        if mode == LINK:
            target.symlink_to(data.decode("utf-8", "surrogateescape") or ".")
        else:
            target.write_bytes(data)
            target.chmod(0o755 if mode == EXECUTABLE else 0o644)


def _parents(path: str) -> list[str]:
    parts = path.split("/")
    return ["/".join(parts[:number]) for number in range(1, len(parts))]


def _last_lines(output: str) -> str:
    """The last lines that a command wrote, cut, and without what moves a terminal's cursor."""
    lines = [line.strip() for line in output.splitlines() if line.strip()]
    shown = (
        "".join(letter if letter.isprintable() else "?" for letter in line)[:_LONGEST]
        for line in lines[-_MOST_LINES:]
    )
    return " / ".join(shown)
