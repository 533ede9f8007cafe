"""Commands of rules run in a sandbox: twenty results that try to get out, and what is told of them."""

from __future__ import annotations

import json
import os
import socket
import threading
import time
from pathlib import Path
from typing import Any

import pytest

from muddled_orchard.core.exercise.scenario import Rule
from muddled_orchard.core.git.trees import LINK, PLAIN_FILE, Blob
from muddled_orchard.system import sandbox
from muddled_orchard.vcs.rule_runs import run_rules
from tests.conftest import muddled, shell

WHY_NOT = sandbox._why_not()
needs_sandbox = pytest.mark.skipif(bool(WHY_NOT), reason=f"no sandbox here: {WHY_NOT}")

# What a result does when it is run, and what is told; `{secret}` is a file of the user's, `{port}` a server here.
HOSTILE = {
    "a fork bomb": ("import os\nwhile True:\n    os.fork()", "ended with|signal|more than 1 s"),
    "processes without end": ("import subprocess, sys\nfor _ in range(500): subprocess.Popen(['sleep', '60'])", "Resource temporarily unavailable|Cannot allocate|ended"),
    "endless output": ("while True: print('x' * 1000)", "it wrote more than 1 MiB"),
    "never an end": ("while True: pass", "it took more than 1 s|signal"),
    "sleep": ("import time; time.sleep(60)", "it took more than 1 s"),
    "closed output, and on": ("import os, time\nos.close(1); os.close(2); time.sleep(60)", "it took more than 1 s"),
    "all memory": ("x = []\nwhile True: x.append(bytearray(1 << 24))", "MemoryError|more than 1 s"),
    "memory of six": ("import os, time\nfor _ in range(6):\n    if os.fork() == 0:\n        x = os.urandom(1 << 20) * 300\n        time.sleep(9)\ntime.sleep(9)", "it held more than 512 MiB of memory"),
    "memory of two, output closed": ("import os, time\nos.close(1); os.close(2)\nos.fork()\nx = os.urandom(1 << 20) * 300\ntime.sleep(9)", "it held more than 512 MiB of memory"),
    "shared memory": ("open('/dev/shm/x', 'wb').write(bytes(1 << 25))", "No space left on device"),
    "a file in /dev": ("open('/dev/x', 'wb').write(bytes(1 << 25))", "Read-only file system"),
    "memory that is nobody's": ("import os\nos.write(os.memfd_create('x'), bytes(1 << 25))", "Function not implemented"),
    "a segment of System V": ("import ctypes\nraise SystemExit(f'{{ctypes.CDLL(None).shmget(0, 1 << 25, 0o1600)}}')", "ended with 1: -1"),
    "a full disk": ("import itertools\nfor n in itertools.count(): open(str(n), 'wb').write(bytes(1 << 20))", "No space left on device"),
    "a full /tmp": ("open('/tmp/x', 'wb').write(bytes(1 << 27))", "File too large|signal|No space left"),
    "a user's file": ("print(open('{secret}').read()); raise SystemExit(3)", "No such file or directory"),
    "the password file": ("print(open('/etc/passwd').read())", "No such file or directory"),
    "the answer key": ("import pathlib, sys\nhit = [p for top in ('/result', '/given', '/tmp', '/home', '/root', '/etc') for p in pathlib.Path(top).rglob('*.toml')]\nsys.exit(repr(hit) if hit else 'nothing')", "ended with 1: nothing"),
    "write outside": ("open('/usr/bin/muddled-was-here', 'w')", "Read-only file system|Permission denied"),
    "write where it came from": ("open('/given/x', 'w')", "Read-only file system|Permission denied"),
    "the network": ("import socket; socket.create_connection(('127.0.0.1', {port}), 2)", "refused|unreachable|Errno"),
    "a name server": ("import socket; socket.gethostbyname('orchard.example')", "resolution|Name or service|Errno|more than 1 s"),
    "other processes": ("import os, sys\nseen = [n for n in os.listdir('/proc') if n.isdigit()]\nsys.exit('few' if len(seen) < 9 else 'many')", "ended with 1: few"),
    "the parent": ("import os, signal\nos.kill(os.getppid(), signal.SIGKILL)\nos.kill(1, signal.SIGKILL)\nraise SystemExit(5)", "it ended with|signal"),
    "a child that survives": ("import os, time\nif os.fork() == 0:\n    os.setsid()\n    time.sleep(30)\n    os._exit(0)\nraise SystemExit(6)", "it ended with 6|more than 1 s"),
    "root": ("import os, sys\ntry:\n    os.setuid(0)\nexcept OSError as error:\n    sys.exit(f'no: {{error}}')\nsys.exit('yes')", "ended with 1: no"),
    "another namespace": ("import ctypes, sys\nsys.exit(f'{{ctypes.CDLL(None).unshare(0x10000000)}}')", "ended with 1: -1"),
    "letters that move the cursor": ("print('\\x1b[2J\\x07gone'); raise SystemExit(4)", "it ended with 4: ?[2J?gone"),
}  # fmt: skip


def ran(tmp_path: Path, program: str, seconds: int = 1, **more: object) -> tuple[bool | None, str]:
    """What becomes of a result whose program this is, in at most so many seconds."""
    texts = {"p": program.encode(), "link": b"/etc"}
    tree = {"main.py": Blob(PLAIN_FILE, "p"), "away": Blob(LINK, "link")}
    # Tests run side by side, and each looks for what is left of its own.
    rule = Rule(runs=f"python3 main.py {tmp_path}", seconds=seconds, **more)  # type: ignore[arg-type]  # its fields
    (run,) = run_rules((rule,), tree, texts, tmp_path).values()
    return run.passed, run.reason


@needs_sandbox
@pytest.mark.parametrize("name", HOSTILE)
def test_a_hostile_result_gets_nowhere(name: str, tmp_path: Path) -> None:
    program, told = HOSTILE[name]
    secret = tmp_path / "secret"
    secret.write_text("the key")
    with socket.create_server(("127.0.0.1", 0)) as server:
        met = threading.Event()

        def accept() -> None:
            server.accept()
            met.set()

        threading.Thread(target=accept, daemon=True).start()
        begun = time.monotonic()
        # What must end by itself, and for its own reason, has time for that on a slow machine as well.
        seconds = 1 if "more than 1 s" in told else 10
        passed, reason = ran(tmp_path, program.format(secret=secret, port=server.getsockname()[1]), seconds)
        assert (passed, any(words in reason for words in told.split("|"))) == (False, True), reason
        assert time.monotonic() - begun < 20
        assert not met.is_set()
    assert not Path("/usr/bin/muddled-was-here").exists()
    assert "the key" not in reason
    time.sleep(0.3)
    assert not [
        entry
        for entry in Path("/proc").iterdir()
        if entry.name.isdigit() and str(tmp_path).encode() in _command(entry)
    ]


def _command(process: Path) -> bytes:
    try:
        return (process / "cmdline").read_bytes()
    except OSError:
        return b""


@needs_sandbox
def test_the_instructors_files_lie_over_the_result(tmp_path: Path) -> None:
    check = {"main.py": "import os; print(sorted(os.listdir()), open('away/x').read()); raise SystemExit(9)", "away/x": "ours"}  # fmt: skip
    assert ran(tmp_path, "raise SystemExit(0)") == (True, "")
    assert ran(tmp_path, "raise SystemExit(0)", with_=check) == (
        False,
        "it ended with 9: ['away', 'main.py'] ours",
    )
    assert ran(tmp_path, "import time; print('late'); time.sleep(9)")[1] == "it took more than 1 s"


@needs_sandbox
def test_rules_are_run_only_when_asked_twice(tmp_path: Path) -> None:
    muddled("plant", "bottles-count", "new", folder=tmp_path)
    work = tmp_path / "new/work"
    shell(
        work, "git merge -q glass || true; git checkout -q --theirs . && git add -A && git commit -qm merged"
    )

    def graded(*options: str) -> Any:
        done = muddled("grade", "new", "--json", *options, folder=tmp_path)
        (submission,) = json.loads(done.stdout)["submissions"]
        return next(c for c in submission["criteria"] if c["id"] == "rules") | {
            "look": submission["needs_a_look"]
        }

    told = graded()
    assert (told["outcome"], told["possible"], told["look"]) == ("skipped", 0, [])
    assert told["because"] == "A command would have to be run over the result (grade --run-rules)."
    told = graded("--run-rules")
    assert (told["outcome"], told["points"]) == ("missed", 0)
    assert "1000 litres fill" in str(told["because"])
    shell(work, "sed -i 's|int(litres|int(0.96 * litres|' bottles.py; git commit -qam right")
    assert graded("--run-rules")["outcome"] == "met"
    said = muddled("survey", "bottles-count", "--run-rules").stdout
    assert "✓ runs python3 check.py" in said
    assert "not run; --run-rules" in muddled("survey", "bottles-count").stdout


def test_without_a_sandbox_it_is_skipped_and_says_why(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(sandbox, "_why_not", lambda: "bubblewrap is not installed (apt install bubblewrap)")
    assert ran(tmp_path, "x") == (None, "bubblewrap is not installed (apt install bubblewrap)")
    assert os.listdir(tmp_path) == []  # noqa: PTH208 - names alone


@needs_sandbox
@pytest.mark.skipif(os.geteuid() != 0, reason="only root hands a result to somebody else")
def test_root_of_a_container_without_other_users_is_told(monkeypatch: Any, tmp_path: Path) -> None:
    def chown(*_: object, **__: object) -> None:
        raise OSError(22, "Invalid argument")

    monkeypatch.setattr(os, "chown", chown)
    passed, said = ran(tmp_path, "print()")
    assert passed is None
    assert said == "nothing is run as root, and here is no other user: run muddled as another one"
