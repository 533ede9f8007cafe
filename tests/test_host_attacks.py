"""Forty ways to get further than a learner's own repositories: none leads anywhere, and the host goes on."""

from __future__ import annotations

import base64
import gzip
import http.client
import os
import re
import socket
from collections.abc import Iterator, Mapping
from pathlib import Path

import pytest

from tests.conftest import muddled, shell
from tests.hosts import RunningHost, course_of, git, hosted, press_limit

UPLOAD, RECEIVE = "git-upload-pack", "git-receive-pack"
MINE, THEIRS = "/git/ada/press-limit.git", "/git/bo/press-limit.git"
REFS = f"/info/refs?service={UPLOAD}"
ASKS = {"Content-Type": f"application/x-{UPLOAD}-request"}
PUSHES = {"Content-Type": f"application/x-{RECEIVE}-request"}
FORM = {"Content-Type": "application/x-www-form-urlencoded"}
MANY = b"".join(
    b"%04x%s" % (4 + len(line), line)
    for line in (f"{'0' * 40} {'1' * 40} refs/heads/b{n}".encode() for n in range(1_200))
) + b"0000"  # fmt: skip

# What is asked, the method, the path, headers, the body, and which answers are right.
REQUESTS: dict[str, tuple[str, str, Mapping[str, str], bytes, set[int]]] = {
    "another's refs": ("GET", f"{THEIRS}{REFS}", {}, b"", {404}),
    "another's refs, to push": ("GET", f"{THEIRS}/info/refs?service={RECEIVE}", {}, b"", {404}),
    "another's objects": ("POST", f"{THEIRS}/{UPLOAD}", ASKS, b"0000", {404}),
    "a push to another": ("POST", f"{THEIRS}/{RECEIVE}", PUSHES, b"0000", {404}),
    "up and over": ("GET", f"/git/ada/../bo/press-limit.git{REFS}", {}, b"", {404}),
    "up in codes": ("GET", f"/git/ada/%2e%2e/bo/press-limit.git{REFS}", {}, b"", {404}),
    "slashes in codes": ("GET", f"/git/ada%2f..%2fbo/press-limit.git{REFS}", {}, b"", {404}),
    "codes in codes": ("GET", f"/git/ada%252f..%252fbo/press-limit.git{REFS}", {}, b"", {404}),
    "out of one's own": ("GET", f"{MINE}/../../bo/press-limit.git{REFS}", {}, b"", {404}),
    "up within the exercise": ("GET", f"/git/ada/..%2fpress-limit%2fbo.git{REFS}", {}, b"", {404}),
    "a backslash": ("GET", f"/git/ada\\..\\bo/press-limit.git{REFS}", {}, b"", {404}),
    "a slash too many": ("GET", f"/git//bo/press-limit.git{REFS}", {}, b"", {404}),
    "a NUL": ("GET", f"/git/ada%00/../bo/press-limit.git{REFS}", {}, b"", {404}),
    "the layout on the disk": ("GET", f"/git/press-limit/bo.git{REFS}", {}, b"", {404}),
    "capitals": ("GET", f"/git/ADA/press-limit.git{REFS}", {}, b"", {404}),
    "the ledger": ("GET", "/git/../orchard.db", {}, b"", {404}),
    "passwords as style": ("GET", "/static/..%2f..%2fpasswords.csv", {}, b"", {404}),
    "dumb refs": ("GET", f"{MINE}/info/refs", {}, b"", {403}),
    "dumb HEAD": ("GET", f"{MINE}/HEAD", {}, b"", {404}),
    "dumb packs": ("GET", f"{MINE}/objects/info/packs", {}, b"", {404}),
    "the configuration": ("GET", f"{MINE}/config", {}, b"", {404}),
    "another service": ("GET", f"{MINE}/info/refs?service=git-upload-archive", {}, b"", {403}),
    "a service that is a path": ("GET", f"{MINE}/info/refs?service=../../bin/sh", {}, b"", {403}),
    "PUT": ("PUT", f"{MINE}/HEAD", {}, b"ref: refs/heads/x", {405}),
    "PROPFIND": ("PROPFIND", f"{MINE}/", {}, b"", {405}),
    "DELETE": ("DELETE", f"{MINE}/info/refs", {}, b"", {405}),
    "refs by POST": ("POST", f"{MINE}/info/refs?service={UPLOAD}", ASKS, b"", {405}),
    "a push by GET": ("GET", f"{MINE}/{RECEIVE}", {}, b"", {405}),
    "a push as text": ("POST", f"{MINE}/{RECEIVE}", {"Content-Type": "text/plain"}, b"0000", {415}),
    "a push that is none": ("POST", f"{MINE}/{RECEIVE}", PUSHES, b"0003no", {400}),
    "a thousand refs at once": ("POST", f"{MINE}/{RECEIVE}", PUSHES, MANY, {200}),  # Git is told that none was taken
    "a body of many MiB": ("POST", f"{MINE}/{RECEIVE}", PUSHES, bytes(3 << 20), {413}),
    "a bomb": ("POST", f"{MINE}/{UPLOAD}", {**ASKS, "Content-Encoding": "gzip"}, gzip.compress(bytes(50 << 20)), {413}),
    "a damaged body": ("POST", f"{MINE}/{UPLOAD}", {**ASKS, "Content-Encoding": "gzip"}, b"gzip?", {400}),
    "two lengths": ("POST", f"{MINE}/{UPLOAD}", {**ASKS, "Transfer-Encoding": "chunked", "Content-Length": "4"}, b"0\r\n\r\nGET / HTTP/1.1\r\n\r\n", {400, 200}),
    "another name in headers": ("GET", f"{THEIRS}{REFS}", {"Remote-User": "bo", "X-Forwarded-User": "bo", "Auth-User": "bo"}, b"", {404}),
    "another path in headers": ("GET", f"{MINE}{REFS}", {"X-Original-URL": THEIRS, "X-Rewrite-URL": THEIRS, "Path-Info": THEIRS, "Proxy": "http://192.0.2.1"}, b"", {200}),
    "Git's variables in headers": ("GET", f"{MINE}{REFS}", {"Git-Dir": "/", "Git-Project-Root": "/", "Git-Protocol": "version=2;$(touch PWNED)", "Git-Config-Count": "9"}, b"", {200}),
    "the board": ("GET", "/board", {}, b"", {404}),
    "a row of the board": ("GET", "/board/bo/press-limit", {}, b"", {404}),
    "an exercise that there isn't": ("GET", "/exercise/..%2f..%2fboard", {}, b"", {404}),
    "an archive of another": ("GET", "/archive/bo.tar.gz", {}, b"", {404}),
    "a form without its token": ("POST", "/hand", FORM, b"raised=yes&token=x", {403}),
    "a form with a token that is none": ("POST", "/hand", FORM, b"raised=yes&token=%C3%BC", {403}),
    "a form of twelve fields": ("POST", "/hand", FORM, b"&".join(b"a=1" for _ in range(12)), {400}),
    "a form that grows": ("POST", "/hand", {**FORM, "Content-Encoding": "gzip"}, gzip.compress(bytes(9_000)), {400, 403}),
    "a form as JSON": ("POST", "/hand", {"Content-Type": "application/json"}, b'{"raised":"yes"}', {415}),
    "endless headers": ("GET", "/", {"X-Long": "x" * 900_000}, b"", {400, 431}),
}  # fmt: skip

WORDS = {
    "nobody": "",
    "no code": "Basic ???",
    "no colon": "Basic " + base64.b64encode(b"ada").decode(),
    "an empty password": "Basic " + base64.b64encode(b"bo:").decode(),
    "a token": "Bearer bo",
    "NUL": "Basic " + base64.b64encode(b"bo\0:x").decode(),
    "very long": "Basic " + base64.b64encode(b"bo:" + b"x" * 8_000).decode(),
}


@pytest.fixture(scope="module")
def host(tmp_path_factory: pytest.TempPathFactory) -> Iterator[RunningHost]:
    folder = course_of(tmp_path_factory.mktemp("attacks") / "course", ["ada", "bo"], press_limit())
    with hosted(folder, "--most-size", "1") as running:
        yield running


def asked(
    host: RunningHost,
    method: str,
    path: str,
    headers: Mapping[str, str],
    body: bytes,
    word: str | None = None,
) -> tuple[int, bytes]:
    """What the host answers to a request that is sent as it stands."""
    known = base64.b64encode(f"ada:{host.passwords['ada']}".encode()).decode()
    port = int(host.url.rstrip("/").rsplit(":", 1)[1])
    connection = http.client.HTTPConnection("127.0.0.1", port, timeout=20)
    try:
        connection.putrequest(method, path, skip_host=False, skip_accept_encoding=True)
        for name, value in {"Authorization": f"Basic {known}" if word is None else word, **headers}.items():
            if value:
                connection.putheader(name, value)
        if "Content-Length" not in headers and method in ("POST", "PUT"):
            connection.putheader("Content-Length", str(len(body)))
        connection.endheaders(body or None)
        answer = connection.getresponse()
        return answer.status, answer.read()
    except (ConnectionError, http.client.HTTPException):
        return 400, b""  # it was let go of
    finally:
        connection.close()


def state(host: RunningHost) -> str:
    return shell(host.folder / "repositories/press-limit/bo.git", "git for-each-ref; cat HEAD config; ls")


@pytest.mark.parametrize("case", REQUESTS)
def test_no_request_leads_further(case: str, host: RunningHost) -> None:
    before = state(host)
    method, path, headers, body, right = REQUESTS[case]
    status, said = asked(host, method, path, headers, body)
    assert status in right, said
    assert state(host) == before
    theirs = re.findall(r"[0-9a-f]{40}", before)
    assert not any(id_.encode() in said for id_ in theirs)
    assert host.passwords["bo"].encode() not in said
    assert asked(host, "GET", f"{MINE}{REFS}", {}, b"")[0] == 200, "the host goes on"
    assert not list(host.folder.rglob("PWNED"))


def test_nobody_gets_in_without_a_password(host: RunningHost) -> None:
    paths = (f"{THEIRS}{REFS}", "/", "/board", "/events", "/archive/press-limit.tar.gz")
    mine = "Basic " + base64.b64encode(f"bo:{host.passwords['ada']}".encode()).decode()
    for number, word in enumerate([*WORDS.values(), mine]):
        # Each wrong password for a name is answered later than the one before.
        for path in paths if not word or "Ym86" not in word else (paths[number % len(paths)],):
            assert asked(host, "GET", path, {}, b"", word)[0] in (401, 429), (word[:40], path)


def test_no_push_leads_further(host: RunningHost, tmp_path: Path) -> None:
    """Refs that are ours, objects that Git's own check refuses, another's commits, hooks, and what can be read."""
    before = state(host)
    shell(tmp_path, f"git clone -q {host.remote('ada')} w; git clone -q {host.remote('bo')} theirs")
    work = tmp_path / "w"
    for ref in ("refs/hidden/x", "refs/notes/x", "refs/replace/" + "1" * 40, "refs/stash"):
        done = git(work, f"git push origin HEAD:{ref}")
        assert done.returncode, ref
    done = git(work, "git push origin HEAD:refs/heads/../../../x")
    assert done.returncode
    evil = git(
        work,
        "b=$(echo x | git hash-object -w --stdin); t=$(printf '100644 .git\\0%b' \"$(echo $b | sed 's/../\\\\x&/g')\""
        " | git hash-object -w -t tree --literally --stdin)\ngit push origin $(git commit-tree -m x $t):refs/heads/evil",
    )
    assert "hasDotgit" in evil.stderr
    assert evil.returncode
    ids = re.findall(r"^([0-9a-f]{40})", before, re.MULTILINE)
    for id_ in ids:
        assert git(work, f"git fetch origin {id_}").returncode, (
            "nothing that no ref of one's own leads to is given"
        )
    copied = git(
        tmp_path / "theirs",
        f"git push --force {host.remote('ada')} main refs/remotes/origin/night-shift:refs/heads/night-shift",
    ).stderr
    assert "its commits are not those that were handed out to this" in " ".join(
        copied.replace("remote:", "").split()
    )
    assert "got it" not in copied
    large = git(
        work,
        "head -c 3000000 /dev/urandom > f; git add f; git commit -qm f; git push origin HEAD:refs/heads/large",
    )
    assert large.returncode
    assert state(host) == before


def test_what_learners_write_stays_text(host: RunningHost, tmp_path: Path) -> None:
    mark = "<img src=x onerror=alert(1)>"
    shell(tmp_path, f"git clone -q {host.remote('bo')} w")
    git(
        tmp_path / "w",
        f"git commit -q --allow-empty -m '{mark} \x1b[31m'; git checkout -qb 'a<b>'; git push origin --all",
    )
    for who, path in (
        ("instructor", "/board/bo/press-limit"),
        ("bo", "/exercise/press-limit"),
        ("instructor", "/board"),
    ):
        page = host.page(who, path)
        assert mark not in page
        assert "<b>" not in page.split("<main", 1)[1].replace('<b class="stage', "").replace(
            "<b>1</b>", ""
        ).replace("<b>2</b>", "")
        assert "\x1b" not in page
        assert "default-src 'none'" in headers_of(host, who, path)
    git(
        tmp_path / "w",
        f"git push {host.remote('bo')} --delete 'a<b>'; git push -f {host.remote('bo')} origin/main:main",
    )


def test_a_password_in_a_url_is_no_argument(
    host: RunningHost, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Everybody on a machine can see the arguments of programs."""
    real = shell(tmp_path, "command -v git").strip()
    (tmp_path / "bin").mkdir()
    (tmp_path / "bin/git").write_text(f'#!/bin/sh\necho "$@" >> {tmp_path}/arguments\nexec {real} "$@"\n')
    (tmp_path / "bin/git").chmod(0o755)
    monkeypatch.setenv("PATH", f"{tmp_path}/bin:{os.environ['PATH']}")
    muddled("grade", host.remote("bo"), "--quiet", folder=tmp_path)
    common = ("gather", "bo", "--roster", host.folder / "roster.csv", "--out", "in", "--url")
    muddled(*common, host.remote("bo"), folder=tmp_path)
    given = (tmp_path / "arguments").read_text()
    assert "ls-remote" in given
    assert host.passwords["bo"] not in given
    wrong = host.remote("bo").replace(host.passwords["bo"], "wrong")
    assert "bo  Authentication failed\n" in muddled(*common, wrong, folder=tmp_path, code=2).stdout
    gone = host.remote("bo").replace("press-limit", "no-such")
    said = muddled(*common, gone, folder=tmp_path, code=2).stdout
    assert "bo  repository not found" in said


def headers_of(host: RunningHost, who: str, path: str) -> str:
    known = base64.b64encode(f"{who}:{host.passwords[who]}".encode()).decode()
    port = int(host.url.rstrip("/").rsplit(":", 1)[1])
    with socket.create_connection(("127.0.0.1", port), timeout=20) as connection:
        connection.sendall(
            f"GET {path} HTTP/1.1\r\nHost: x\r\nAuthorization: Basic {known}\r\nConnection: close\r\n\r\n".encode()
        )
        return b"".join(iter(lambda: connection.recv(65_536), b"")).partition(b"\r\n\r\n")[0].decode()
