"""A practice repository as files: everything that is handed out, made in memory.

The files are the same on every machine, so they can go to a disk or straight into an archive. The
repository has no identity, no hooks and no reflog yet: all that is the learner's Git's.
"""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping

from muddled_orchard.core.exercise.history import History
from muddled_orchard.core.exercise.scenario import Start
from muddled_orchard.core.git.refs import branch_ref, tracking_ref
from muddled_orchard.core.git.trees import PLAIN_FILE, Blob, File
from muddled_orchard.core.submission.evidence import IndexEntry
from muddled_orchard.vcs.index import index_file
from muddled_orchard.vcs.write.build import CONFIG, stash_message, write_history, zone
from muddled_orchard.vcs.write.memory import Objects, loose_file, loose_path

WORK = "work"
ORIGIN = "origin.git"

READ_ONLY = 0o100444


def practice_files(
    history: History, deleted: Collection[str] = (), start: Start | None = None
) -> tuple[dict[str, File], dict[int, str]]:
    """Every file of `work/` and, where the story has a remote, of `origin.git/`, by path; and the ids of
    the commits, by place. `deleted` are branches that a task wants gone, `start` says what is not
    committed."""
    objects = Objects()
    own = _reachable(history, (*history.tips.values(), *history.tracked.values(), *history.stashes))
    ids = write_history(objects, history, own)
    git = f"{WORK}/.git"
    refs = {branch_ref(branch): ids[number] for branch, number in history.tips.items()}
    refs |= {tracking_ref(branch): ids[number] for branch, number in history.tracked.items()}
    tree = dict(history.commits[history.tips[history.checked_out]].tree)
    tree |= _changed(tree, start.stage if start else {})
    entries = [IndexEntry(path, 0, Blob(file.mode, objects.blob(file.data))) for path, file in tree.items()]
    files = _repository(
        git, objects, refs, history.checked_out, _config(history, start.config if start else {})
    )
    files |= _stashes(git, history, ids)
    files[f"{git}/index"] = File(
        PLAIN_FILE, index_file(sorted(entries, key=lambda entry: entry.path.encode()))
    )
    tree |= _changed(tree, start.write if start else {})
    files |= {f"{WORK}/{path}": file for path, file in tree.items()}
    if history.remote:
        more, ids_there = _origin(history, deleted)
        files, ids = files | more, ids | ids_there
    return files, ids


def _changed(tree: Mapping[str, File], texts: Mapping[str, str]) -> dict[str, File]:
    """Files with another text, each in the mode that it has."""
    return {
        path: File(tree[path].mode if path in tree else PLAIN_FILE, text.encode())
        for path, text in texts.items()
    }


def _repository(
    gitdir: str, objects: Objects, refs: Mapping[str, str], head: str, config: str
) -> dict[str, File]:
    files = {
        f"{gitdir}/HEAD": File(PLAIN_FILE, f"ref: {branch_ref(head)}\n".encode()),
        f"{gitdir}/config": File(PLAIN_FILE, config.encode()),
        f"{gitdir}/info/exclude": File(PLAIN_FILE, b""),
    }
    for id_, held in sorted(objects.held.items()):
        files[f"{gitdir}/objects/{loose_path(id_)}"] = File(READ_ONLY, loose_file(*held))
    for name, id_ in refs.items():
        files[f"{gitdir}/{name}"] = File(PLAIN_FILE, f"{id_}\n".encode())
    return files


def _origin(history: History, deleted: Collection[str]) -> tuple[dict[str, File], dict[int, str]]:
    # Git deletes no branch that the remote's HEAD names.
    names = [name for name in (history.checked_out, *history.remote) if name in history.remote]
    head = next((name for name in names if name not in deleted), names[0])
    objects = Objects()
    ids = write_history(objects, history, _reachable(history, history.remote.values()))
    refs = {branch_ref(branch): ids[number] for branch, number in history.remote.items()}
    return _repository(ORIGIN, objects, refs, head, CONFIG.format(bare="true")), ids


def _reachable(history: History, numbers: Iterable[int]) -> set[int]:
    return {found for number in numbers for found in history.ancestors(number)}


def _config(history: History, settings: Mapping[str, str]) -> str:
    """With a remote whose address is relative: the practice folder can be moved as a whole."""
    parts = [CONFIG.format(bare="false")]
    for name, value in settings.items():
        section, _, key = name.partition(".")
        parts.append(f"[{section}]\n\t{key} = {value}\n")
    if history.remote:
        fetch = f"+{branch_ref('*')}:{tracking_ref('*')}"
        parts.append(f'[remote "origin"]\n\turl = ../{ORIGIN}\n\tfetch = {fetch}\n')
        parts += [
            f'[branch "{branch}"]\n\tremote = origin\n\tmerge = {branch_ref(branch)}\n'
            for branch in history.tracked
            if branch in history.tips
        ]
    return "".join(parts)


def _stashes(gitdir: str, history: History, ids: Mapping[int, str]) -> dict[str, File]:
    """`git stash` finds its entries in the reflog of refs/stash."""
    if not history.stashes:
        return {}
    lines = []
    before = "0" * 40
    for number in history.stashes:
        commit = history.commits[number]
        who = f"{commit.author} {commit.time} {zone(commit.offset)}"
        lines.append(f"{before} {ids[number]} {who}\t{stash_message(commit)}\n")
        before = ids[number]
    return {
        f"{gitdir}/refs/stash": File(PLAIN_FILE, f"{before}\n".encode()),
        f"{gitdir}/logs/refs/stash": File(PLAIN_FILE, "".join(lines).encode()),
    }
