"""Calls of the `git` program. Git runs only in repositories that we made, under an environment
that takes nothing from the user: no configuration, no hooks, no variables."""

from __future__ import annotations

import errno
import functools
import os
import re
import subprocess
import tempfile
from collections.abc import Iterable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from pathlib import Path
from typing import IO
from urllib.parse import quote, unquote, urlsplit, urlunsplit

from muddled_orchard.core.base.limits import Bounds
from muddled_orchard.core.base.patterns import pattern
from muddled_orchard.core.base.phrases import brief, counted
from muddled_orchard.core.base.problems import BadInput, Problem
from muddled_orchard.system.processes import limit_files_and_memory

OLDEST = (2, 38)
"""The first version with `git merge-tree --write-tree`."""


class GitFailed(BadInput):
    """A call of `git` ended in an error; the message is Git's own."""

    def __init__(self, message: str) -> None:
        self.said = message
        super().__init__(
            Problem(f"git failed: {brief(message, 300)}", "Is this the right git, and is it sound?")
        )


def environment() -> dict[str, str]:
    """What `git` gets to see: the path to programs, and nothing else of the user's."""
    return {
        "PATH": os.environ.get("PATH", os.defpath),
        "HOME": os.devnull,
        "XDG_CONFIG_HOME": os.devnull,
        "GIT_CONFIG_NOSYSTEM": "1",
        "GIT_CONFIG_GLOBAL": os.devnull,
        "GIT_TERMINAL_PROMPT": "0",
        "GIT_EDITOR": ":",
        "GIT_PAGER": "cat",
        "LC_ALL": "C",
        "TZ": "UTC",
    }


def run(
    arguments: Sequence[str],
    *,
    folder: Path,
    given: bytes = b"",
    more: Mapping[str, str] | None = None,
    may_fail: bool = False,
) -> bytes:
    """Run `git` with these arguments in a folder and return what it wrote to standard output.

    Raises GitFailed when it ends in an error, unless that is expected, and BadInput when there is no
    Git to run.
    """
    return _ended(_begun(arguments, folder, more), arguments, given, may_fail=may_fail)


def _begun(arguments: Sequence[str], folder: Path, more: Mapping[str, str] | None) -> subprocess.Popen[bytes]:
    try:
        return subprocess.Popen(
            ["git", *arguments],
            cwd=folder,
            stdin=subprocess.PIPE,
            stdout=subprocess.PIPE,
            stderr=subprocess.PIPE,
            env=environment() | dict(more or {}),
        )
    except FileNotFoundError as error:
        if error.filename not in (None, "git"):  # the folder, then
            raise
        raise BadInput(Problem("Git is not installed", "Install Git 2.38 or newer and try again.")) from None
    except (PermissionError, OSError) as error:
        if error.errno not in (errno.EACCES, errno.ENOEXEC):
            raise
        what = f"git can't be run: {error.strerror}"
        raise BadInput(Problem(what, "Install Git 2.38 or newer and try again.")) from None


def _ended(
    process: subprocess.Popen[bytes], arguments: Sequence[str], given: bytes, *, may_fail: bool = False
) -> bytes:
    """What a process writes that is given this."""
    with process:
        try:
            written, complained = process.communicate(given)
        except BaseException:
            process.kill()
            raise
    code = process.returncode
    if code and not may_fail:
        how = f"was ended by signal {-code}" if code < 0 else f"ended with {code}"
        raise GitFailed(complained.decode(errors="replace").strip() or f"git {arguments[0]} {how}")
    return written


_QUESTION = pattern(r"(?:\[y/n\]|\(a\)bort)\? (?!\S*\n)")
"""What `git mergetool` asks ends so, with nothing behind it yet."""


def answer(
    arguments: Sequence[str], *, folder: Path, more: Mapping[str, str], typed: Sequence[str] = ()
) -> str:
    """What `git` answers on both channels, as a terminal has it at the end: it may fail. `typed` are the
    lines that a person types where it asks; each stands behind its question.

    Progress that overwrites itself is not in it.
    """
    words = ["git", *arguments]
    done = subprocess.run(
        words, cwd=folder, input="".join(f"{line}\n" for line in typed).encode(), stdout=subprocess.PIPE,
        stderr=subprocess.STDOUT, env=environment() | dict(more), check=False,
    )  # fmt: skip
    said = done.stdout.decode("utf-8", "replace")
    for line in typed:  # what is typed stands in no answer
        said = _QUESTION.sub(lambda asked, line=line: f"{asked[0]}{line}\n", said, count=1)  # type: ignore[misc]
    lines = said.split("\n")
    return "\n".join(line.rstrip("\r").rsplit("\r", 1)[-1] for line in lines).rstrip("\n")


_version: list[tuple[int, ...]] = []
"""The version of Git, once it is known to be new enough."""


def require() -> tuple[int, ...]:
    """The version of Git; BadInput where it is missing or older than OLDEST."""
    with required():
        pass
    return _version[0]


@contextmanager
def required() -> Iterator[None]:
    """What is done in here is done while Git tells its version; raises at the end, or at the beginning, what
    `require` does."""
    if _version:
        yield
        return
    words = ["version"]
    with _begun(words, Path.cwd(), None) as process:
        yield
        answer = _ended(process, words, b"").decode()
    match = re.search(r"(\d+)\.(\d+)", answer)
    version = tuple(int(number) for number in match.groups()) if match else (0, 0)
    if version < OLDEST:
        raise BadInput(Problem(f"this is {answer.strip()}", "Muddled Orchard needs Git 2.38 or newer."))
    _version.append(version)


def commits_to_replay(gitdir: Path, onto: str, tip: str) -> list[str]:
    """The commits that a rebase of `tip` onto `onto` replays, in order: without merges, and without
    those whose change the other side has already."""
    listed = run(
        [
            "rev-list",
            "--reverse",
            "--topo-order",
            "--no-merges",
            "--cherry-pick",
            "--right-only",
            f"{onto}...{tip}",
        ],
        folder=gitdir,
        more={"GIT_DIR": str(gitdir)},
    )
    return listed.decode().split()


def index_pack(gitdir: Path, pack: bytes) -> None:
    """Add a pack to a repository."""
    run(["index-pack", "--stdin"], folder=gitdir, given=pack, more={"GIT_DIR": str(gitdir)})


def merge_trees(gitdir: Path, pairs: Iterable[tuple[str, str]]) -> tuple[bytes, bytes]:
    """`git merge-tree` for many pairs (ours, theirs) of commits, in `-z` format: in one process that shows
    conflicts in Git's default style, and in one beside it that shows them in diff3. Histories with nothing in
    common are merged from an empty base: learners do that, too."""
    words = ("merge-tree", "--write-tree", "--stdin", "-z", "--messages", "--allow-unrelated-histories")
    given = "".join(f"{ours} {theirs}\n" for ours, theirs in pairs).encode()
    styles = [("-c", f"merge.conflictStyle={style}", *words) for style in ("merge", "diff3")]
    more = {"GIT_DIR": str(gitdir)}
    # Where one fails the other is given nothing, and ends.
    with _begun(styles[0], gitdir, more) as first, _begun(styles[1], gitdir, more) as second:
        return _ended(first, styles[0], given), _ended(second, styles[1], given)


def clone_bare(
    url: str,
    target: Path,
    bounds: Bounds,
    *,
    old: Path | None = None,
    helpers: Sequence[str] = (),
    strict: bool = False,
) -> None:
    """Fetch what a repository elsewhere has into a new bare one, within bounds: without the user's
    configuration, prompts and templates, and with no protocol that runs a program.

    It is what the server has, and names no remote of its own: a reader takes it for the remote that learners
    push to. What the repository `old` has need not come again. `helpers` are the programs that know the
    user's passwords. With `strict` objects are checked as `git fsck` does. Raises GitFailed with Git's own
    words, or with the bound that was met.
    """
    more = ["--reference-if-able", str(old.resolve()), "--dissociate"] if old is not None else []
    checks = ["-c", "fetch.unpackLimit=1", *(["-c", "transfer.fsckObjects=true"] if strict else [])]
    words = ["clone", "-q", "--bare", "--template=", *more, "--", url, str(target)]
    with tempfile.TemporaryFile() as said:
        _ask_server([*checks, *words], url, target.parent, said, bounds, helpers)
    config = target / "config"
    text = config.read_text("utf-8", "surrogateescape")
    config.write_text(text.partition('[remote "')[0], "utf-8", "surrogateescape")


def remote_refs(url: str, bounds: Bounds, *, helpers: Sequence[str] = ()) -> str:
    """What `git ls-remote --symref` says of a repository elsewhere: HEAD and every ref. Raises GitFailed."""
    with tempfile.TemporaryFile() as said:
        command = ["ls-remote", "--symref", "--", url]
        _ask_server(command, url, Path.cwd(), said, bounds, helpers)
        if not said.seek(0, os.SEEK_END) and url.startswith("http"):
            # To Git a line of a web page is an empty repository.
            heard = _ask_server(command, url, Path.cwd(), said, bounds, helpers, _HEADERS)
            if re.search(r"^.*<= recv header: content-type: text/html", heard, re.IGNORECASE | re.MULTILINE):
                raise GitFailed("it answers with a web page, not as a Git server does")
        said.seek(0)
        return said.read(_MOST_SAID).decode("utf-8", "replace")


_HEADERS = {"GIT_TRACE_CURL": "1", "GIT_TRACE_CURL_NO_DATA": "1"}
"""What has Git tell the headers of what it is answered."""


_MOST_SAID = 16 << 20


def push_branches(gitdir: Path, url: str, bounds: Bounds, *, helpers: Sequence[str] = ()) -> None:
    """Push every branch of a repository of ours to one elsewhere, all of them or none where the server can
    do that. Raises GitFailed."""
    words = ["push", "-q", "--", url, "refs/heads/*:refs/heads/*"]
    with tempfile.TemporaryFile() as said:
        try:
            _ask_server([words[0], "--atomic", *words[1:]], url, gitdir, said, bounds, helpers)
        except GitFailed as failed:
            if "atomic" not in failed.said:
                raise
            _ask_server(words, url, gitdir, said, bounds, helpers)


def credential_helpers() -> list[str]:
    """The programs that know the user's passwords, as the user's own configuration names them."""
    words = ["git", "config", "--get-all", "credential.helper"]
    found = subprocess.run(words, cwd=Path.home(), capture_output=True, text=True, check=False)
    return [line for line in found.stdout.splitlines() if line]


def _ask_server(
    words: Sequence[str],
    url: str,
    folder: Path,
    said: IO[bytes],
    bounds: Bounds,
    helpers: Sequence[str],
    variables: Mapping[str, str] | None = None,
) -> str:
    """Run Git against a server, by the URL's own protocol alone; its answer goes to a file, which has a
    bound. What it told of it beside."""
    shown, user, password = _without_password(url)
    scheme = url.partition("://")[0]
    more = {
        **(variables or {}),
        # Servers may lead from http to https.
        "GIT_ALLOW_PROTOCOL": "http:https" if scheme == "http" else scheme,
        "GIT_ASKPASS": "true",
        "GIT_SSH_COMMAND": "ssh -oBatchMode=yes",
        "HOME": os.environ.get(
            "HOME", os.devnull
        ),  # where ssh keeps its keys; Git itself reads nothing there
    }
    settings = ["-c", "credential.helper=", "-c", "core.hooksPath=/dev/null"]
    if password is not None:
        # Arguments are shown to everybody on the machine, variables to nobody: Git asks this helper.
        more |= {"MUDDLED_USER": user, "MUDDLED_PASSWORD": password}
        settings += ["-c", f"credential.{'/'.join(shown.split('/')[:3])}.helper={_HELPER}"]
    for helper in helpers:
        settings += ["-c", f"credential.helper={helper}"]
    command = ["git", *settings, *(shown if word == url else word for word in words)]
    try:
        done = subprocess.run(
            command, cwd=folder, stdout=said, stderr=subprocess.PIPE,
            env=environment() | more, check=False, stdin=subprocess.DEVNULL, timeout=bounds.seconds,
            start_new_session=True,
            preexec_fn=functools.partial(limit_files_and_memory, bounds.size, bounds.memory),
        )  # fmt: skip
    except subprocess.TimeoutExpired:
        raise GitFailed(f"asking the server took more than {counted(bounds.seconds, 'second')}") from None
    if done.returncode:
        raise GitFailed(_reason(_without_url(done.stderr.decode(errors="replace"), shown)))
    return done.stderr.decode(errors="replace")


_HELPER = r"""!f() {
test "$1" = get && printf 'username=%s\npassword=%s\n' "$MUDDLED_USER" "$MUDDLED_PASSWORD"
}; f"""


def _without_password(url: str) -> tuple[str, str, str | None]:
    """A URL without the password in it, the name that it has, and the password; None where there is none.
    Raises GitFailed for what can't be told to Git."""
    try:
        parts = urlsplit(url)
    except ValueError:  # Git says itself what is wrong with it
        return url, "", None
    if parts.scheme not in ("http", "https") or parts.password is None:
        return url, "", None
    user, password = unquote(parts.username or ""), unquote(parts.password)
    if any(letter in user + password for letter in "\n\r\0"):
        raise GitFailed("its name or password has several lines")
    name = f"{quote(user, safe='')}@" if user else ""
    return urlunsplit(parts._replace(netloc=name + parts.netloc.rpartition("@")[2])), user, password


def _without_url(said: str, url: str) -> str:
    """What Git says, without the URL, which whoever asked knows: Git itself shows it without a name in it."""
    place = re.escape(url.partition("://")[2].rpartition("@")[2].rstrip("/"))
    return re.sub(rf"( for)? '\w+://([^/@']*@)?{place}/?'", "", said).replace(url, "it")


def _reason(said: str) -> str:
    """Why nothing could be fetched, in a line, from all that Git says of it."""
    if (refused := re.search(r"^error: object [0-9a-f]{40}: (.+)$", said, re.MULTILINE)) is not None:
        return f"Git's own check refuses an object of it ({refused[1]})"
    # Git ends with the same advice whatever happened before.
    told = said.partition("fatal: Could not read from remote repository.")[0].strip() or said.strip()
    line = told.rsplit("fatal: ", 1)[-1].split("\n")[-1] if told else ""
    return line.removeprefix("unable to access: ") or "it can't be fetched, or is larger than it may be"
