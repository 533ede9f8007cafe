"""What tells one work from another, wherever it lies and however it was packed."""

from __future__ import annotations

import hashlib
from collections.abc import Iterator

from muddled_orchard.core.submission.evidence import Evidence, Pending


def work_id(evidence: Evidence) -> str:
    """A short digest of all that a submission is judged by: branches, what is pending, the index, the working
    tree and the remote. The same repository has the same one as a folder and in an archive."""
    digest = hashlib.sha256()
    for line in _lines(evidence):
        digest.update(line.encode("utf-8", "surrogatepass") + b"\n")
    return digest.hexdigest()[:16]


def _lines(evidence: Evidence) -> Iterator[str]:
    yield f"{evidence.head} {evidence.head_commit} {_pending(evidence.pending)} {evidence.stashes}"
    for refs in (evidence.refs, evidence.remote or {}):
        yield from (f"{id_} {name}" for name, id_ in sorted(refs.items()))
    for entry in sorted(evidence.index, key=lambda entry: (entry.path, entry.stage)):
        yield f"{entry.blob.mode} {entry.blob.id} {entry.stage} {entry.path}"
    for path, blob in sorted((evidence.working or {}).items()):
        yield f"{blob.mode} {blob.id} {path}"


_AT_FIRST = ("kind", "brings", "number", "total", "branch", "onto", "three_way")


def _pending(pending: Pending | None) -> str:
    """What is under way, as it was first written: what it came to know later stands there only where it is
    so, since persons' verdicts are kept under the ids of works."""
    if pending is None:
        return "None"
    names = (*_AT_FIRST, *(["committed"] if pending.committed else []))
    return f"Pending({', '.join(f'{name}={getattr(pending, name)!r}' for name in names)})"
