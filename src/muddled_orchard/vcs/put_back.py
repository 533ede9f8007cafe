"""Give a repository that a host serves back its handed-out branches, or those of another variant."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path

from muddled_orchard.core.exercise.claim import CLAIM
from muddled_orchard.core.git.trees import File
from muddled_orchard.system.output import write_file
from muddled_orchard.vcs.ask import git


def put_back(repository: Path, files: Mapping[str, File], there: Mapping[str, str]) -> None:
    """Have a repository's refs be those of `files`, as a hand-out has them; `there` are its refs now. Objects
    are only added: what was pushed can still be graded. Raises GitFailed where Git can't move a ref."""
    for path, file in files.items():
        if path.startswith("objects/") and not (repository / path).exists():
            write_file(repository / path, file.data)
    if CLAIM in files:
        write_file(repository / CLAIM, files[CLAIM].data)
    wanted = {path: file.data.decode().strip() for path, file in files.items() if path.startswith("refs/")}
    moves = [f"update {name} {id_}\n" for name, id_ in wanted.items() if there.get(name) != id_]
    moves += [f"delete {name}\n" for name in there if name not in wanted]
    if moves:
        git.run(("update-ref", "--stdin"), folder=repository, given="".join(moves).encode())
