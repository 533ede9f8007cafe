"""Hand-outs for a Git server: the bare repository that a learner clones and pushes to, and a practice folder
whose remote it is."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from msgspec.structs import replace

from muddled_orchard.core.exercise.arriving import ARRIVING, Arrival, as_served
from muddled_orchard.core.exercise.asked import ASKED, ASKED_TAG
from muddled_orchard.core.exercise.claim import CLAIM
from muddled_orchard.core.exercise.history import History
from muddled_orchard.core.git.packs import BLOB
from muddled_orchard.core.git.refs import BRANCHES, branch_ref, tracking_ref
from muddled_orchard.core.git.trees import PLAIN_FILE, File
from muddled_orchard.vcs.write.build import CONFIG as CONFIG_TEXT
from muddled_orchard.vcs.write.memory import Objects, loose_file, loose_path
from muddled_orchard.vcs.write.practice import ORIGIN, WORK

_OWN = f"{WORK}/.git/"
CONFIG = f"{_OWN}config"
"""The file of a practice folder that says where its remote is."""

_THERE = f"{ORIGIN}/"


def bare_repository(files: Mapping[str, File], history: History) -> dict[str, File]:
    """The files of the repository on the server, of a practice folder's: the remote of the story, or, where
    it has none, the learner's commits and branches."""
    told = _told(files[f"{_OWN}{ASKED}"].data) if f"{_OWN}{ASKED}" in files else {}
    if history.remote:
        return told | {
            path.removeprefix(_THERE): file for path, file in files.items() if path.startswith(_THERE)
        }
    kept = ("HEAD", "info/exclude")
    found = {
        name: file
        for path, file in files.items()
        if path.startswith(_OWN)
        and ((name := path.removeprefix(_OWN)).startswith(("objects/", BRANCHES)) or name in kept)
    }
    if not history.commits:
        found["HEAD"] = File(PLAIN_FILE, f"ref: {branch_ref(history.checked_out)}\n".encode())
    return told | found | {"config": File(PLAIN_FILE, CONFIG_TEXT.format(bare="true").encode())}


def _told(asked: bytes) -> dict[str, File]:
    """What is asked, as a blob and a tag of it: no other thing beside branches travels with every clone."""
    id_ = Objects().blob(asked)
    return {
        f"objects/{loose_path(id_)}": File(PLAIN_FILE, loose_file(BLOB, asked)),
        ASKED_TAG: File(PLAIN_FILE, f"{id_}\n".encode()),
    }


def hosted_repository(
    files: Mapping[str, File], history: History, coming: Sequence[Arrival], ids: Mapping[int, str]
) -> dict[str, File]:
    """The same with every object of the practice folder, also those that no ref of it leads to: a push that
    builds on them can be graded by what lies there. What is `coming` is kept, and not there yet; `ids` are
    those of the commits by place."""
    inner = f"{_OWN}objects/"
    own = {path.removeprefix(_OWN): file for path, file in files.items() if path.startswith(inner)}
    if not history.commits:
        # It has nothing that says what it is, and a host must know it again.
        own[CLAIM] = files[f"{WORK}/{CLAIM}"]
    found = own | bare_repository(files, history)
    before = as_served(history, coming).remote
    for arrival in coming:
        for name, place in (
            (branch_ref(arrival.branch), before[arrival.branch]),
            (f"{ARRIVING}{arrival.number}", arrival.after),
        ):
            found[name] = File(PLAIN_FILE, f"{ids[place]}\n".encode())
    return found


def with_remote(files: Mapping[str, File], history: History, url: str) -> dict[str, File]:
    """The files of a practice folder whose `origin` is a repository on a server."""
    found = {path: file for path, file in files.items() if not path.startswith(_THERE)}
    config = found[CONFIG]
    text = config.data.decode()
    if history.remote:
        text = text.replace(f"\turl = ../{ORIGIN}\n", f"\turl = {url}\n")
    else:
        fetch = f"+{branch_ref('*')}:{tracking_ref('*')}"
        text += f'[remote "origin"]\n\turl = {url}\n\tfetch = {fetch}\n'
        text += "".join(
            f'[branch "{branch}"]\n\tremote = origin\n\tmerge = {branch_ref(branch)}\n'
            for branch in history.tips
        )
        # What a clone knows of the branches there: a push by force that takes care needs it.
        found |= {
            f"{_OWN}{tracking_ref(branch)}": found[f"{_OWN}{branch_ref(branch)}"] for branch in history.tips
        }
    return found | {CONFIG: replace(config, data=text.encode())}


def is_remote(config: bytes | None, url: str) -> bool:
    """Whether a practice folder with this configuration has the repository at `url` as its remote."""
    return config is not None and f"\turl = {url}\n".encode() in config
