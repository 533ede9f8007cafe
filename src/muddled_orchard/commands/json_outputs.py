"""What each command prints with --json, and its schema."""

from __future__ import annotations

from inspect import cleandoc

from muddled_orchard.commands.board.as_json import BoardFile
from muddled_orchard.commands.catalogue.as_json import CatalogueFile
from muddled_orchard.commands.drill.as_json import DrillFile
from muddled_orchard.commands.gather.as_json import GatherFile
from muddled_orchard.commands.glean.as_json import GleanFile
from muddled_orchard.commands.grade.as_json import ResultFile
from muddled_orchard.commands.handout.as_json import HandOutFile
from muddled_orchard.commands.ledger.as_json import LedgerFile
from muddled_orchard.commands.ledger.person import PersonFile
from muddled_orchard.commands.peek.as_json import PeekFile
from muddled_orchard.commands.plant.as_json import PlantFile
from muddled_orchard.commands.rehearse.as_json import RehearsalFile
from muddled_orchard.commands.settle.as_json import SettleFile
from muddled_orchard.commands.survey.as_json import SurveyFile
from muddled_orchard.commands.tally.as_json import TallyFile
from muddled_orchard.core.grading.finding import KINDS

OUTPUTS: dict[str, object] = {
    "catalogue": CatalogueFile,
    "glean": GleanFile,
    "survey": SurveyFile,
    "rehearse": RehearsalFile,
    "plant": PlantFile,
    "handout": HandOutFile,
    "board": BoardFile,
    "gather": GatherFile,
    "peek": PeekFile,
    "drill": DrillFile,
    "grade": ResultFile,
    "tally": TallyFile,
    "settle": SettleFile,
    "ledger": LedgerFile,
    "person": PersonFile,
}
"""What each command prints with --json."""


def _clean(part: object) -> None:
    """Take the indentation out of descriptions, which are docstrings: how much of it is left hangs on the
    release of the library that puts them there."""
    if isinstance(part, dict):
        if isinstance(part.get("description"), str):
            part["description"] = cleandoc(part["description"])
        for inner in part.values():
            _clean(inner)
    elif isinstance(part, list):
        for inner in part:
            _clean(inner)


def finding_schemas() -> dict[str, object]:
    """The JSON Schema of each kind of finding, by its name, as ledgers store it."""
    import msgspec

    kinds = dict(sorted(KINDS.items()))
    _, schemas = msgspec.json.schema_components(kinds.values())
    _clean(schemas)
    return dict(sorted(schemas.items()))


def output_schema(command: str) -> dict[str, object]:
    """The JSON Schema of a command's output."""
    import msgspec

    schema = msgspec.json.schema(OUTPUTS[command])
    for part in schema["$defs"].values():
        if "properties" in part:
            part["additionalProperties"] = False
    _clean(schema)
    title = f"What muddled {command} --json prints"
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", "title": title, **schema}
