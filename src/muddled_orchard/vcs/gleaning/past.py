"""The commits of a history, as Git lists them."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from muddled_orchard.core.base.problems import BadInput, Problem
from muddled_orchard.core.gleaning.redone import PastCommit
from muddled_orchard.vcs.ask.git import GitFailed
from muddled_orchard.vcs.gleaning.source import History

_FORMAT = "%H%x01%P%x01%T%x01%ct%x01%at%x01%an <%ae>%x01%B"


def commits_of(
    history: History, which: Sequence[str] = (), tips: Sequence[str] | None = None, since: str = ""
) -> Iterator[PastCommit]:
    """The commits that lead to these (None: to any ref), the newest first; `which` are further options of
    git-rev-list(1). Raises BadInput where the history can't be read."""
    wanted = list(dict.fromkeys(history.refs.values())) if tips is None else list(tips)
    words = [
        "log",
        "-z",
        "--ignore-missing",
        "--stdin",
        "--no-show-signature",
        "--no-color",
        "--no-notes",
        f"--format={_FORMAT}",
        *which,
    ]
    words += [f"--since={since}"] if since else []
    if not wanted:
        return
    # A ref may lead to something else than a commit.
    given = "".join(f"{id_}\n" for id_ in wanted)
    try:
        for part in history.parts(words, given.encode()):
            if (commit := _commit(part)) is not None:
                yield commit
    except GitFailed as failed:
        what = f"its history can't be read: {failed.said.splitlines()[-1] if failed.said else 'Git failed'}"
        raise BadInput(Problem(what, "Is the repository sound? git fsck says it.")) from None


def commit_named(history: History, name: str) -> PastCommit:
    """The commit that a name stands for: an id or its beginning, a branch, a tag, HEAD, and what Git's
    notation leads to from there (`main~2`). Raises BadInput."""
    problem = Problem(f'there is no commit "{name}"', "muddled glean REPOSITORY lists them by id.")
    start = min((at for at in (name.find("~"), name.find("^")) if at >= 0), default=len(name))
    first, rest = name[:start], name[start:]
    known = (f"{front}{first}" for front in ("", "refs/", "refs/tags/", "refs/heads/", "refs/remotes/"))
    id_ = next((history.refs[ref] for ref in known if ref in history.refs), first)
    if id_ == first and not (4 <= len(first) <= 40 and all(sign in "0123456789abcdef" for sign in first)):
        raise BadInput(problem)
    found, failed = history.ask(
        ["rev-parse", "-q", "--verify", "--end-of-options", f"{id_}{rest}^{{commit}}"]
    )
    if failed:
        raise BadInput(problem)
    return next(commits_of(history, ["--no-walk"], [found.decode().strip()]))


def _commit(part: bytes) -> PastCommit | None:
    fields = part.decode("utf-8", "replace").lstrip("\n").split("\x01", 6)
    if len(fields) != 7:
        return None
    id_, parents, tree, committed, written, author, message = fields
    return PastCommit(
        id_, tuple(parents.split()), tree, int(committed or 0), int(written or 0), author, message
    )
