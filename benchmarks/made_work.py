"""Work of very many learners, made without Git: to act out a hundred thousand would take hours.

Of four learners one leaves all as it was, one merges as the key wants, one keeps its own side, one commits
the conflict markers.
"""

from __future__ import annotations

from concurrent.futures import ProcessPoolExecutor
from functools import partial
from pathlib import Path
from tempfile import TemporaryDirectory

from benchmarks.measuring import EXERCISE
from muddled_orchard.core.base.limits import Bounds
from muddled_orchard.core.git.lines import Lines
from muddled_orchard.core.git.trees import PLAIN_FILE, Blob, File
from muddled_orchard.core.key.answer_key import Key
from muddled_orchard.core.merging.conflict import Hunk
from muddled_orchard.core.submission.evidence import IndexEntry
from muddled_orchard.core.submission.file_source import below
from muddled_orchard.files.archives.packing import pack
from muddled_orchard.files.archives.unpacking import unpacked
from muddled_orchard.files.scenarios.catalogue import ScenarioLibrary
from muddled_orchard.system.output import write_file
from muddled_orchard.vcs.ask.keymaking import make_key
from muddled_orchard.vcs.ask.scratch import ScratchRepository
from muddled_orchard.vcs.index import index_file
from muddled_orchard.vcs.write.memory import Objects, loose_file, loose_path

_AT_ONCE = 500
_GIT = "work/.git"


def make_work(top: Path, given: dict[str, tuple[str, str]], cores: int) -> None:
    """Write what each learner hands in to `back`; `given` has variant and file in `out` by learner."""
    (top / "back").mkdir()
    everybody = sorted(given.items())
    some = [everybody[start : start + _AT_ONCE] for start in range(0, len(everybody), _AT_ONCE)]
    with ProcessPoolExecutor(cores) as pool:
        list(pool.map(partial(_work, top), some))


def _work(top: Path, some: list[tuple[str, tuple[str, str]]]) -> None:
    scenario = ScenarioLibrary().find(EXERCISE)
    assert scenario is not None  # noqa: S101 - it is bundled
    with TemporaryDirectory() as room:
        scratch = ScratchRepository(Path(room) / "scratch.git")
        for learner, (variant, file) in some:
            source = unpacked(top / "out" / file, Bounds())
            files = {
                path.removeprefix(f"{EXERCISE}/"): File(PLAIN_FILE, source.read(path, 1 << 20) or b"")
                for path, _ in below(source)
            }
            way = int(learner[1:]) % 4
            if way:
                _merge(files, make_key(scratch, scenario, variant), way)
            write_file(top / "back" / f"{learner}.tar.gz", pack(files, EXERCISE, "tar.gz"))


def _merge(files: dict[str, File], key: Key, way: int) -> None:
    """Commit a merge as the key wants it (1), with ours kept (2), or with the markers left (3)."""
    step = key.steps[0]
    (conflict,) = step.merge.conflicts
    assert conflict.merged is not None  # noqa: S101 - it is a text
    choices = [_lines(hunk, way) for hunk in conflict.merged.hunks]
    text = "".join(conflict.merged.resolved(choices)).encode()
    objects = Objects()
    tree = dict(step.solved)
    if way > 1:
        tree[conflict.path] = Blob(PLAIN_FILE, objects.blob(text))
    for blob in tree.values():
        if blob.id in key.texts:
            objects.blob(key.texts[blob.id])
    id_ = objects.tree({path: (blob.mode, blob.id) for path, blob in tree.items()})
    tips = [key.refs[f"refs/heads/{branch}"] for branch in ("main", "night-shift")]
    who = "Ilse Brandt <ilse@orchard.example> 1932000000 +0000"
    commit = objects.commit(who, "Merge branch 'night-shift'\n", id_, tips)
    for held, stored in objects.held.items():
        files[f"{_GIT}/objects/{loose_path(held)}"] = File(PLAIN_FILE, loose_file(*stored))
    files[f"{_GIT}/refs/heads/main"] = File(PLAIN_FILE, f"{commit}\n".encode())
    entries = [IndexEntry(path, 0, blob) for path, blob in sorted(tree.items())]
    files[f"{_GIT}/index"] = File(PLAIN_FILE, index_file(entries))
    for path, blob in tree.items():
        if blob.id in objects.held:
            files[f"work/{path}"] = File(blob.mode, objects.held[blob.id][1])


def _lines(hunk: Hunk, way: int) -> Lines:
    if way == 3:
        return ("<<<<<<< HEAD\n", *hunk.ours, "=======\n", *hunk.theirs, ">>>>>>> night-shift\n")
    return hunk.ours
