"""Work in processes of its own: in the pool, and a process for each piece."""

from __future__ import annotations

import atexit
import operator
import os
import pickle
import resource
import signal
import struct
import subprocess
import sys
import threading
import time
from collections.abc import Callable
from contextlib import AbstractContextManager, ExitStack
from functools import partial
from pathlib import Path

import pytest

from muddled_orchard.system.apart import ProcessApart
from muddled_orchard.system.workers import WorkerLost, Workers, few_workers, in_order, workers


def _prepared(base: int) -> Callable[[str], int]:
    return partial(_work, base)


def _work(base: int, piece: str) -> int:
    if piece == "dies":
        os.kill(os.getpid(), signal.SIGKILL)
    while piece == "busy":
        pass
    if piece == "hangs":
        time.sleep(60)
    return base + int(piece)


@pytest.mark.parametrize("crew", [partial(few_workers, 2), partial(workers, 2)], ids=["few", "pool"])
def test_each_piece_ends_as_it_does(
    crew: Callable[..., AbstractContextManager[Workers[str, int]]],
) -> None:
    before = time.monotonic()
    with crew(_prepared, 40) as working:
        sent = [working.submit(piece, 0.5) for piece in ("1", "dies", "hangs", "no number", "2")]
        assert sent[0].result() == 41
        with pytest.raises(WorkerLost):
            sent[1].result()
        with pytest.raises(TimeoutError):
            sent[2].result()
        with pytest.raises(ValueError, match="no number"):
            sent[3].result()
        assert sent[4].result() == 42
        working.submit("hangs")  # nobody waits for it
    assert time.monotonic() - before < 30


@pytest.mark.skipif(sys.platform != "linux", reason="elsewhere a pool does it")
def test_few_pieces_are_done_so_many_at_once() -> None:
    """Also where a portion failed, and each of its pieces is tried by itself."""
    children = Path(f"/proc/self/task/{threading.get_native_id()}/children")
    before = children.read_text().split()
    with few_workers(2, _prepared, 40) as working:
        sent = [
            working.submit("hangs", 0.3),
            working.submit("hangs"),
            *(working.submit("1") for _ in range(5)),
        ]
        assert len(children.read_text().split()) == len(before) + 2
        with pytest.raises(TimeoutError):
            sent[0].result()
        assert sent[-1].result() == 41, "begun before its turn, since it is asked for"
        assert [one.result() for one in sent[2:-1]] == [41] * 4
    assert children.read_text().split() == before


@pytest.mark.parametrize("ahead", [1, 2, 5, 50])
def test_no_more_is_begun_than_was_asked_for(ahead: int) -> None:
    begun: list[int] = []

    def begin(piece: int) -> str:
        begun.append(piece)
        return f"<{piece}>"

    going = in_order(iter(range(20)), begin, ahead)
    assert begun == [*range(min(ahead, 20))], "the first begin before anybody asks"
    for number, (piece, result) in enumerate(going):
        assert (piece, result) == (number, f"<{number}>")
        assert len(begun) <= min(number + ahead, 20)
    assert begun == [*range(20)]
    assert list(in_order((), begin, ahead)) == []


def _speaking() -> Callable[[str], int]:
    print("what is printed while it begins is no answer")
    return partial(_spoken, _prepared(40))


def _spoken(work: Callable[[str], int], piece: str) -> int:
    print(piece, "must not get between the answers")
    os.write(1, b"not even so")
    return work(piece)


def test_a_process_apart_is_begun_again_after_each_loss() -> None:
    process: ProcessApart[str, int] = ProcessApart(_speaking)
    try:
        assert [process.do(piece, 20) for piece in ("1", "2")] == [41, 42]
        for piece, error in (("dies", WorkerLost), ("hangs", TimeoutError), ("no number", ValueError)):
            with pytest.raises(error):
                process.do(piece, 1 if piece == "hangs" else 20)
            assert process.do("3", 20) == 43
        large = "1" + " " * (1 << 20)
        assert process.do(large, 20) == 41, "more than a pipe holds"
    finally:
        process.end(5)
    process.end()


def test_a_process_apart_works_where_a_thousand_files_are_open() -> None:
    """A host has a connection for each that waits."""
    soft, hard = resource.getrlimit(resource.RLIMIT_NOFILE)
    if hard != resource.RLIM_INFINITY and hard < 1_200:
        pytest.skip("a process may not have so many files open here")
    resource.setrlimit(resource.RLIMIT_NOFILE, (max(soft, 1_200), hard))
    process: ProcessApart[str, int] = ProcessApart(partial(_prepared, 40))
    with ExitStack() as several:
        for _ in range(1_050):
            several.enter_context(Path(os.devnull).open())
        try:
            assert process.do("1", 20) == 41
        finally:
            process.end()


def test_a_process_apart_ends_when_nothing_more_can_come(tmp_path: Path) -> None:
    process: ProcessApart[str, int] = ProcessApart(partial(_leaving, tmp_path / "left"))
    assert process.do("1", 20) == 41
    assert (tmp_path / "left").exists()
    process.end(10)
    assert not (tmp_path / "left").exists(), "it has tidied up"


def _leaving(file: Path) -> Callable[[str], int]:
    file.touch()
    atexit.register(file.unlink)
    return _prepared(40)


_BUSY = """
from functools import partial
from muddled_orchard.system.apart import ProcessApart
from tests.test_workers import _prepared
process = ProcessApart(partial(_prepared, 40))
process.do("1", 20)
print(process._process.pid, flush=True)
process.do("busy")
"""


def test_a_process_apart_ends_when_who_began_it_is_killed() -> None:
    top = Path(__file__).parent.parent
    parent = subprocess.Popen([sys.executable, "-c", _BUSY], cwd=top, stdout=subprocess.PIPE, text=True)
    assert parent.stdout is not None
    child = int(parent.stdout.readline())
    time.sleep(0.5)
    parent.kill()
    parent.communicate()
    until = time.monotonic() + 20
    while time.monotonic() < until and _runs(child):
        time.sleep(0.1)
    assert not _runs(child)


def _runs(process: int) -> bool:
    try:
        os.kill(process, 0)
    except ProcessLookupError:
        return False
    state = Path(f"/proc/{process}/stat")
    return not (state.exists() and state.read_text().rpartition(")")[2].split()[0] == "Z")


def test_a_process_apart_ends_in_silence_when_nobody_asks_any_more() -> None:
    work = pickle.dumps(partial(operator.itemgetter, 0))
    words = [sys.executable, "-m", "muddled_orchard.system.apart"]
    process = subprocess.Popen(words, stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.PIPE)
    assert process.stdin is not None
    assert process.stdout is not None
    assert process.stderr is not None
    process.stdout.close()
    for frame in (work, pickle.dumps(["x" * 200_000])):
        process.stdin.write(struct.pack(">Q", len(frame)) + frame)
    process.stdin.flush()
    assert process.wait(20) == 0
    assert process.stderr.read() == b""
    process.stdin.close()
    process.stderr.close()
