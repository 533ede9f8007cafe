"""Beginnings of scenario files, one for each kind of conflict; a bundled scenario can be a beginning too."""

from __future__ import annotations

import re
from pathlib import Path

from muddled_orchard.core.base.problems import BadInput, Problem, likely
from muddled_orchard.core.exercise.defaults import id_for
from muddled_orchard.files.scenarios.bundled import BUNDLED, bundled_ids

SKETCHES = Path(__file__).parents[2] / "sketches"


def sketch_kinds() -> dict[str, str]:
    """The kinds there are sketches for, each with what it is about."""
    return {
        path.stem: path.read_text("utf-8").split("\n", 1)[0].removeprefix("# ")
        for path in sorted(SKETCHES.glob("*.toml"))
    }


def sketch_text(kind: str, file: Path) -> str:
    """A beginning of this kind (or a copy of the bundled scenario of this id), with the file's name as id.

    Raises BadInput for a kind that there isn't.
    """
    kinds = sketch_kinds()
    if kind in kinds:
        text = (SKETCHES / f"{kind}.toml").read_text("utf-8")
    elif kind in bundled_ids():
        text = (BUNDLED / f"{kind}.toml").read_text("utf-8")
    else:
        known = [*kinds, *bundled_ids()]
        close = likely(kind, known)
        hint = close if close.startswith("Did") else "muddled sketch alone lists the kinds."
        raise BadInput(Problem(f'there is no kind "{kind}"', hint))
    return re.sub(r'^id = ".*?"', f'id = "{id_for(file.stem)}"', text, count=1, flags=re.MULTILINE)
