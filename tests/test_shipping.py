"""Submissions that travel to a cluster arrive as they lay, or say why they can't."""

from __future__ import annotations

import os
import pickle
import tempfile
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec.structs import replace

from muddled_orchard.classroom.shipping import ShippedScenarios, arrived, shipped
from muddled_orchard.core.base.limits import Bounds, Exceeded
from muddled_orchard.core.exercise.claim import ExerciseVariant
from muddled_orchard.core.submission.file_source import FileSource, below
from muddled_orchard.files.archives.unpacking import unpacked
from muddled_orchard.files.scenarios.bundled import BUNDLED
from muddled_orchard.files.scenarios.scenario_file import load_scenario
from muddled_orchard.files.stored import scenario_text
from muddled_orchard.vcs.read.disk import DiskSource
from tests.conftest import shell

NAMES = st.text("abö .", min_size=1, max_size=6).filter(lambda name: name.strip(". "))
PATHS = st.lists(NAMES, min_size=1, max_size=3).map("/".join)


def seen(place: FileSource) -> dict[str, tuple[object, ...]]:
    """All that can be seen of a place: kinds, contents, targets, and what is executable."""
    return {
        path: (
            entry.kind,
            entry.executable if entry.kind == "file" else None,
            place.read(path, 1 << 20) if entry.kind == "file" else None,
            place.target(path) if entry.kind == "link" else None,
        )
        for path, entry in below(place, folders=True)
    }


@settings(max_examples=60, deadline=None)
@given(
    st.dictionaries(PATHS, st.one_of(st.binary(max_size=300), st.none(), st.just("link")), max_size=8),
    st.booleans(),
)
def test_a_folder_arrives_as_it_lay(entries: dict[str, bytes | str | None], executable: bool) -> None:
    """Files, links that lead anywhere, and folders with nothing in them (None)."""
    with tempfile.TemporaryDirectory() as name:
        top = Path(name)
        for path, content in entries.items():
            place = top / path
            if (
                any((top / part).is_file() or (top / part).is_symlink() for part in Path(path).parents)
                or place.exists()
            ):
                continue
            place.parent.mkdir(parents=True, exist_ok=True)
            if content is None:
                place.mkdir()
            elif isinstance(content, str):
                place.symlink_to("/etc/passwd" if executable else "../nowhere")
            else:
                place.write_bytes(content)
                place.chmod(0o755 if executable else 0o644)
        travelling = pickle.loads(pickle.dumps(shipped(top, Bounds())))  # noqa: S301 - our own
        assert seen(arrived(travelling, Bounds())) == seen(DiskSource(top))


def test_an_archive_travels_unopened(planted: Path) -> None:
    shell(planted.parent, "tar czf a.tar.gz ilse")
    archive = planted.parent / "a.tar.gz"
    came = shipped(archive, Bounds())
    assert came.data == archive.read_bytes()
    assert seen(arrived(came, Bounds())) == seen(unpacked(archive, Bounds()))


@pytest.mark.parametrize(
    ("make", "bounds", "says"),
    [
        ("mkdir x; head -c 3000 /dev/zero >x/a; head -c 3000 /dev/zero >x/b", {"size": 5000}, "its files are larger than 4 KiB"),
        ("mkdir x; touch x/a x/b x/c", {"entries": 2}, "it has more than 2 files"),
        ("mkfifo x", {}, "it is no plain file"),
        ("head -c 3000 /dev/zero >x", {"size": 2000}, "larger than 1 KiB"),
        ("mkdir -p x/$(printf 'a/%.0s' $(seq 1000))", {}, "nested too deeply"),
        ("true", {}, "it is no plain file"),
    ],
    ids=["large in all", "many files", "a pipe", "a large archive", "deep", "gone meanwhile"],
)  # fmt: skip
def test_what_can_not_travel_says_why(make: str, bounds: dict[str, Any], says: str, tmp_path: Path) -> None:
    shell(tmp_path, make)
    came = shipped(tmp_path / "x", Bounds(**bounds))
    shell(tmp_path, "rm -rf x")  # what is nested as deep as this pytest can't remove
    assert (came.form, came.data, came.entries) == ("refused", b"", ())
    with pytest.raises(Exceeded, match=says):
        arrived(came, Bounds())


def test_a_pipe_in_a_folder_is_not_waited_for(tmp_path: Path) -> None:
    os.mkfifo(tmp_path / "pipe")
    (tmp_path / "file").write_bytes(b"x")
    assert seen(arrived(shipped(tmp_path, Bounds()), Bounds())) == seen(DiskSource(tmp_path))


def test_scenarios_travel_as_texts_and_bundled_ones_are_there() -> None:
    own = load_scenario(BUNDLED / "press-limit.toml")
    older = replace(own, title="As it was")
    shipped = ShippedScenarios(
        {"own": scenario_text(own)}, {ExerciseVariant("own", "7"): scenario_text(older)}
    )
    find = pickle.loads(pickle.dumps(shipped))  # noqa: S301 - our own
    assert find(ExerciseVariant("own", "1")) == own
    assert find(ExerciseVariant("own", "7")) == older
    assert find(ExerciseVariant("three-knots", "1")) == load_scenario(BUNDLED / "three-knots.toml")
    assert find(ExerciseVariant("nowhere", "1")) is None
