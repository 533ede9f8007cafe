"""Where scenarios are found: in a file, in a folder, or among the bundled ones by id."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator
from contextlib import suppress
from itertools import islice
from pathlib import Path

from muddled_orchard.core.base.problems import BadInput, Problem, likely
from muddled_orchard.core.exercise.scenario import Scenario
from muddled_orchard.files.scenarios.bundled import BUNDLED, bundled_ids
from muddled_orchard.files.scenarios.own_scenarios import OwnScenarios
from muddled_orchard.files.scenarios.tree_folders import with_taken_folders
from muddled_orchard.files.stored import scenario_of_toml


def scenario_path(named: str) -> Path:
    """The file that SCENARIO on the command line means: a path, or the id of a bundled one.

    Raises BadInput where there is neither.
    """
    path = Path(named)
    if path.is_file():
        return path
    bundled = BUNDLED / f"{named}.toml"
    if named in bundled_ids():
        return bundled
    if path.is_dir():
        raise BadInput(Problem("this is a folder, one scenario is needed", "Name a file in it.", file=named))
    what = f'there is no scenario "{named}": no such file, and none is bundled'
    beside = path.with_name(f"{path.name}.toml")
    hint = f'Did you mean "{beside}"?' if beside.is_file() else likely(named, bundled_ids())
    raise BadInput(Problem(what, hint))


def scenario_files(places: Iterable[str]) -> Iterator[Path]:
    """All scenario files among files, folders (with all below them) and bundled ids."""
    for place in places:
        if Path(place).is_dir():
            found = [path for path in sorted(Path(place).rglob("*.toml")) if _is_scenario(path, Path(place))]
            if not found and place in bundled_ids():
                found = [BUNDLED / f"{place}.toml"]  # a practice folder may bear its exercise's name
            if not found:
                raise BadInput(Problem("there is no scenario (*.toml) in this folder", file=place))
            yield from found
        elif any(letter in place for letter in "*?[") and not Path(place).exists():
            import glob  # most name a file, or an id

            matched = sorted(map(Path, glob.glob(place, recursive=True)))  # noqa: PTH207 - patterns may be absolute
            if not matched:
                raise BadInput(Problem("nothing matches this pattern", file=place))
            yield from matched
        else:
            yield scenario_path(place)


def _is_scenario(path: Path, top: Path) -> bool:
    """Whether a file found in a folder is one: practice folders, where other TOML files lie, are passed
    over, and so is what has no story and no format."""
    between = path.parents[: len(path.relative_to(top).parts) - 1]
    if any((folder / ".git").exists() for folder in between):
        return False
    try:
        text = path.read_text(encoding="utf-8")
    except (OSError, UnicodeDecodeError):
        return True  # reading it in earnest says what is wrong with it
    return re.search(r"^\s*(format\s*=|\[\[\s*story\s*\]\])", text, re.MULTILINE) is not None


def load(path: Path) -> Scenario:
    """The scenario of a file; BadInput has all that is wrong with it. Bundled ones are known to be right."""
    if path.parent == BUNDLED:
        return with_taken_folders(scenario_of_toml(path.read_text("utf-8"), path.stem), path.parent, [])
    from muddled_orchard.files.scenarios.scenario_file import (
        load_scenario,  # the validator takes long to start
    )

    return load_scenario(path)


def shared_ids(loaded: Iterable[tuple[Path, Scenario]]) -> Iterator[Problem]:
    """Scenarios whose id another one before them has."""
    known: dict[str, Path] = {}
    for path, scenario in loaded:
        other = known.setdefault(scenario.id, path)
        if other != path:
            what, hint = (
                f'the id "{scenario.id}" is also that of {other}',
                "An id is unique: change one of them.",
            )
            yield Problem(what, hint, ("id",), file=str(path))


def bundled_id(path: Path, scenario: Scenario) -> Problem | None:
    """What is wrong with a scenario of one's own that has the id of a bundled one."""
    if scenario.id not in bundled_ids() or path.resolve().parent == BUNDLED.resolve():
        return None
    hint = "Change it: what is planted from this file would be taken for the bundled exercise."
    return Problem(f'a bundled scenario has the id "{scenario.id}"', hint, ("id",))


class ScenarioLibrary:
    """Scenarios by id: those of the given places first, then the bundled ones, then those of the user's own
    that can be found.

    A given file with problems raises BadInput at once. Two given files with the same id do too.
    """

    def __init__(self, places: Iterable[str] = (), own: OwnScenarios | None = None) -> None:
        self._own = own
        self._known: dict[str, tuple[Path, Scenario]] = {}
        loaded = {path: load(path) for path in scenario_files(places)}
        if problems := list(shared_ids(loaded.items())):
            raise BadInput(problems)
        self._known |= {scenario.id: (path, scenario) for path, scenario in loaded.items()}

    def find(self, id_: str) -> Scenario | None:
        """The scenario of this id, or None. Raises BadInput where a file of the user's own is at fault."""
        if id_ not in self._known and id_ in bundled_ids():
            path = BUNDLED / f"{id_}.toml"
            self._known[id_] = (path, load(path))
        elif id_ not in self._known and self._own is not None:
            for path in islice(self._own.files(id_), 1):
                self._known[id_] = (path, load(path))
        return self._known[id_][1] if id_ in self._known else None

    def given(self, id_: str) -> Scenario | None:
        """The scenario of this id if it was among the given places."""
        known = self._known.get(id_)
        return known[1] if known and known[0].parent != BUNDLED else None

    def given_ids(self) -> list[str]:
        """The ids of those among the given places, and in the working folder, that aren't bundled."""
        for path in self._own.beside() if self._own is not None else ():
            with suppress(BadInput):  # it is told where it is asked for
                scenario = load(path)
                self._known.setdefault(scenario.id, (path, scenario))
        return [id_ for id_ in self._known if self.given(id_) is not None]

    def path(self, id_: str) -> Path | None:
        """The file of a scenario that was found before."""
        return self._known[id_][0] if id_ in self._known else None
