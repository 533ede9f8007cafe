"""A host at work: a whole lesson with real Git clients, what it says, and what it does when things go wrong."""

from __future__ import annotations

import asyncio
import io
import json
import os
import random
import resource
import shutil
import signal
import socket
import subprocess
import time
from collections.abc import AsyncIterator, Awaitable, Callable
from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress
from datetime import UTC, datetime, timedelta
from functools import partial
from pathlib import Path

import pytest
import uvicorn
from msgspec.structs import replace
from playwright.sync_api import sync_playwright

from muddled_orchard.commands.host import access, protocol, received
from muddled_orchard.commands.host.access import Access, TooManyGuesses
from muddled_orchard.commands.host.clock import Clock
from muddled_orchard.commands.host.connections import Connections
from muddled_orchard.commands.host.held import Held, HeldFile
from muddled_orchard.commands.host.push_desk import PushResult, RepositoryPushes
from muddled_orchard.commands.host.refused import Refused
from muddled_orchard.commands.host.served_course import ServedCourse, served_exercises
from muddled_orchard.core.course.passwords import hashed, matches, new_password
from muddled_orchard.core.course.plan import CourseExercise, CoursePlan
from muddled_orchard.core.course.pushes import RecordedPush
from muddled_orchard.core.course.roster import Learner
from muddled_orchard.core.exercise.own_copy import clone_commands, delete_command, push_command
from muddled_orchard.core.git.pkt_lines import push_request, server_options, with_text
from muddled_orchard.core.grading.assessment import unreadable
from muddled_orchard.core.grading.summary import standing
from muddled_orchard.files.course.ledger import Ledger
from muddled_orchard.files.scenarios.catalogue import scenario_path
from muddled_orchard.rehearsal.behaviours import named
from muddled_orchard.rehearsal.session import LearnerSession
from muddled_orchard.vcs.ask.keymaking import make_key
from muddled_orchard.vcs.ask.scratch import ScratchRepository
from muddled_orchard.vcs.grading import grader
from muddled_orchard.vcs.read.disk import DiskSource
from muddled_orchard.vcs.read.pushed import PushedSource
from muddled_orchard.vcs.read.quarantine import refs_of
from tests.conftest import PROGRAM, database, graded, muddled, shell
from tests.hosts import COURSE, RunningHost, course_of, git, hosted, press_limit, pushes_of, until
from tests.test_class import RIGHT, WRONG
from tests.test_pages import AXE, CHROMIUM, WIDTHS

CLONE = "git clone -q {url} {who}/work && cd {who}/work && git branch night-shift origin/night-shift\n"


def unwrapped(said: str) -> str:
    """What Git shows of the host's words, in one line."""
    return " ".join(said.replace("remote:", " ").split())


def works(
    host: RunningHost,
    who: str,
    script: str,
    *,
    push: str = "git push origin main",
    exercise: str = "press-limit",
) -> str:
    """Clone where there is no clone yet, work, push; what Git says of the push."""
    place = host.folder / "at" / who / "work"
    if not place.exists():
        place.parent.mkdir(parents=True)
        done = git(host.folder / "at", CLONE.format(url=host.remote(who, exercise), who=who))
        assert done.returncode == 0, done.stderr
    done = git(place, f"{script}\n{push}")
    assert done.returncode == 0, done.stdout + done.stderr
    return done.stderr


@pytest.mark.skipif(CHROMIUM is None, reason="there is no Chromium here")
def test_a_lesson(tmp_path: Path) -> None:
    """Thirty clone, merge, push wrong, read the feedback, push right, while the board is open in a browser."""
    class_of = [f"learner{number:02}" for number in range(30)]
    folder = course_of(tmp_path / "course", class_of, press_limit())
    with hosted(folder) as host, sync_playwright() as playwright, ThreadPoolExecutor(6) as learners:
        browser = playwright.chromium.launch(executable_path=CHROMIUM, args=["--no-sandbox"])
        who = {"username": "instructor", "password": host.passwords["instructor"]}
        page = browser.new_context(http_credentials=who).new_page()  # type: ignore[arg-type]
        wrong: list[str] = []
        page.on("console", lambda message: wrong.append(message.text))
        page.goto(f"{host.url}board")
        first = list(learners.map(lambda id_: works(host, id_, WRONG), class_of))
        for said in first:
            assert "remote: Push 1: not yet, 12 of 26 points." in said
            assert "press.toml, line 12" in said
            assert max(map(len, said.splitlines())) <= 88, "80 columns, and eight blanks that Git adds itself"
        page.locator(".counts", has_text="30 not right yet").wait_for()
        assert "press-limit: press.toml, hunk 1: kept ours" in page.inner_text(".common")
        again = f"git reset -q --hard HEAD~1\n{WRONG}"
        force = "git push --force origin main"
        assert "Push 2: not yet" in works(
            host, class_of[7], f"{again}\ngit commit -q --amend -m other", push=force
        )
        page.locator("tbody tr:first-child", has_text="the same fault twice").wait_for()
        assert "Learner07" in page.inner_text("tbody tr"), "who makes the same mistake again comes first"
        page.click("tbody tr a")
        assert "what was left" in page.inner_text("main")
        page.goto(f"{host.url}board")
        last = list(
            learners.map(
                lambda id_: works(host, id_, f"git reset -q --hard HEAD~1\n{RIGHT}", push=force), class_of
            )
        )
        assert all("got it, 26 of 26 points." in said for said in last)
        page.locator(".counts", has_text="30 done").wait_for()
        assert not wrong, "nothing that the policy refuses"
        browser.close()
    assert sorted(pushes_of(folder)) == sorted(
        [(id_, "press-limit", True) for id_ in class_of * 2] + [(class_of[7], "press-limit", True)]
    )
    rows = json.loads(muddled("board", "--json", folder=folder).stdout)["learners"]
    assert {(row["stage"], row["done"]) for row in rows} == {("done", 1)}
    said = muddled("board", "--once", folder=folder).stdout
    assert "30 done" in said
    attempts = muddled("ledger", "--table", "attempts", "--csv", "-", folder=folder).stdout
    assert len(attempts.splitlines()) == 1 + 61, "every push is an attempt"
    results = graded(folder / "repositories", "--ledger", folder / "orchard.db")
    assert {one["percent"] for one in results.values()} == {100.0}, (
        "grade reads the host's repositories as well"
    )


@pytest.mark.skipif(CHROMIUM is None, reason="there is no Chromium here")
def test_pages_read_at_every_width_and_by_everybody(tmp_path: Path) -> None:
    """In light and dark, with nothing from elsewhere, and past an accessibility checker where there is one."""
    folder = course_of(tmp_path / "course", ["ada", "bo"], press_limit("full"))
    with hosted(folder) as host, sync_playwright() as playwright:
        works(host, "ada", WRONG, push="git push -o help origin main")
        works(host, "ada", "git commit -q --allow-empty -m again")
        wrong: list[str] = []
        browser = playwright.chromium.launch(executable_path=CHROMIUM, args=["--no-sandbox"])
        for who, path in (
            ("ada", ""),
            ("ada", "exercise/press-limit"),
            ("bo", "exercise/press-limit"),
            ("instructor", "board"),
            ("instructor", "board/ada/press-limit"),
        ):
            known = {"username": who, "password": host.passwords[who]}
            for scheme in ("light", "dark"):
                context = browser.new_context(http_credentials=known, color_scheme=scheme, bypass_csp=True)  # type: ignore[arg-type]
                page = context.new_page()
                page.on("console", lambda message: wrong.append(message.text))
                page.on(
                    "request",
                    lambda sent: wrong.append(sent.url) if not sent.url.startswith(host.url) else None,
                )
                page.goto(host.url + path)
                for width in WIDTHS:
                    page.set_viewport_size({"width": width, "height": 800})
                    assert page.evaluate("document.documentElement.scrollWidth") <= width, (path, width)
                assert wrong == []
                if AXE.is_file():
                    page.evaluate(
                        "document.querySelectorAll('details').forEach((one) => { one.open = true; })"
                    )
                    page.add_script_tag(path=AXE)
                    found = page.evaluate("axe.run({ resultTypes: ['violations'] })")["violations"]
                    assert [(one["id"], one["nodes"][0]["html"][:200]) for one in found] == [], path
                context.close()
        # A hand is lowered by the button, and goes from the learner's page without a reload.
        learner = browser.new_context(
            http_credentials={"username": "ada", "password": host.passwords["ada"]}
        ).new_page()
        learner.goto(host.url)
        board = browser.new_context(
            http_credentials={"username": "instructor", "password": host.passwords["instructor"]}
        ).new_page()
        board.goto(f"{host.url}board")
        board.get_by_role("button", name="Helped").click()
        learner.get_by_role("button", name="Raise your hand").wait_for()
        learner.get_by_role("button", name="Raise your hand").click()
        board.get_by_role("button", name="Helped").wait_for()
        browser.close()


def test_hands_feedback_dates_and_what_no_clone_gives(tmp_path: Path) -> None:
    later = datetime.now(UTC) + timedelta(days=2)
    folder = course_of(tmp_path / "course", ["ada", "bo"], f"""
feedback = "none"
feedback_after_due = "full"
[[exercise]]
scenario = "press-limit"
[[exercise]]
scenario = "pull-by-merge"
due = 2020-01-01T00:00:00Z
late = {{ a_day = 0.01 }}
[[exercise]]
scenario = "three-knots"
opens = {later.isoformat()}
""")  # fmt: skip
    with hosted(folder) as host:
        said = works(host, "ada", WRONG, push="git push -o help origin main")
        assert "The course tells the result later." in said
        assert "Your hand is raised" in said
        assert "not yet" not in said
        assert "hand raised" in host.page("instructor", "board")
        assert works(host, "ada", "", push="git fetch -o helped") == ""
        assert "hand raised" not in host.page("instructor", "board")
        works(host, "ada", "", push="git fetch -o help")
        home = host.page("ada", "/")
        assert "Lower your hand" in home
        assert "opens " in home
        assert "12 of 26" not in home + host.page("ada", "/exercise/press-limit")
        for url in (
            host.remote("ada", "three-knots"),
            host.remote("ada", "none"),
            host.remote("ada", owner="bo"),
        ):
            done = git(tmp_path, f"git clone -q {url} x")
            assert (
                "remote: three-knots is not open yet" in done.stderr
                or "remote: You have no repository" in done.stderr
            )
        # What no clone has comes as an archive, whose remote is the repository here.
        assert "commits that are not pushed" in host.page("ada", "/exercise/pull-by-merge")
        (tmp_path / "packed.tar.gz").write_bytes(host.data("ada", "archive/pull-by-merge.tar.gz"))
        shell(tmp_path, "tar xzf packed.tar.gz")
        work = tmp_path / "pull-by-merge/work"
        assert (
            shell(work, "git remote get-url origin").strip()
            == f"{host.url.replace('//', '//ada@')}git/ada/pull-by-merge.git"
        )
        done = git(
            work,
            f"git remote set-url origin {host.remote('ada', 'pull-by-merge')}; git pull -q --no-rebase; git checkout -q --theirs .\ngit commit -qam pulled; git push",
        )
        said = unwrapped(done.stderr)
        assert "Right already: Everything is completed." in said
        assert "honey.txt, line 4" in said, "told in full, since it was due"
        done = git(
            tmp_path,
            f"git clone -q {host.remote('instructor', owner='ada')} theirs && cd theirs && git push origin HEAD:refs/heads/x",
        )
        assert (tmp_path / "theirs/press.toml").is_file()
        assert done.returncode, "the instructor reads, and pushes nothing"
    results = json.loads(muddled("ledger", "--json", folder=folder).stdout)
    assert "pull-by-merge" in json.dumps(results)


# What is typed beside what the rehearsal's best learner does, where a push shows commits alone.
PUSHED = {
    "pull-by-merge": "", "pull-by-rebase": "", "there-and-back": "", "undo-a-merge": "", "stale-main": "", "nobodys-neighbour": "",
    "left-in-a-rebase": "", "patches-by-mail": "", "squash-the-notes": "", "rebase-four": "", "file-against-folder": "",
    "stash-back": "git commit -qam mine",
}  # fmt: skip


def test_exercises_of_every_kind_can_be_pushed(tmp_path: Path) -> None:
    """As their pages say it: cloned, or unpacked where a clone is not enough; done right, and pushed."""
    rules = {str(scenario_path(id_)): CourseExercise(scenario=id_) for id_ in PUSHED}
    plan = CoursePlan(exercise=tuple(rules.values()))
    course = ServedCourse(
        plan, served_exercises(rules), [Learner("ada", "Ada", {})], tmp_path / "repositories"
    )
    ledger = Ledger(tmp_path / "orchard.db", create=True)
    course.hand_out(ledger, datetime.now(UTC))
    ledger.close()
    scratch = ScratchRepository(tmp_path / "scratch.git")
    found = {}
    for one in course.exercises.values():
        given = course.given("ada", one.id)
        assert given is not None
        there = course.folder / course.place("ada", one.id)
        if one.lacks:
            (tmp_path / "packed.tar.gz").write_bytes(course.archive(given, str(there)))
            shell(tmp_path, "tar xzf packed.tar.gz")
        else:
            clone = clone_commands(course.variant(given).history, str(there), f"{one.id}/work")
            shell(tmp_path, "\n".join(clone).replace("git clone", "git clone -q"))
        standings = []
        variant = course.variant(given)
        delete = delete_command(variant.scenario, variant.history)
        for script in ("", f"{PUSHED[one.id]}\n{push_command(variant.scenario)} -q\n{delete}"):
            work = tmp_path / one.id / "work"
            if script:
                key = make_key(scratch, one.exercise.scenario, given.variant)
                named("right", key).act(LearnerSession(work, key, "ada"))
                done = git(work, script)
                assert done.returncode == 0, (one.id, script, done.stderr)
            source = PushedSource(course.snapshot(given, refs_of(DiskSource(there))))
            find = partial(lambda scenario, _: scenario, one.exercise.scenario)
            with grader(find, partial(lambda source, _: source, source)) as grading:
                standings.append(standing(next(grading.grade([there]))))
        found[one.id] = standings
    wrong = {
        id_: said
        for id_, said in found.items()
        if said[1] != "got it" or (said[0] != "not started" and id_ != "stash-back")
    }
    assert wrong == {}


def test_a_course_that_changes_while_it_runs(tmp_path: Path) -> None:
    folder = course_of(tmp_path / "course", ["ada"], press_limit("hints"))
    with hosted(folder) as host:
        assert "Push 1: not yet.\n" in works(host, "ada", WRONG).replace(" " * 8, "")
        # The roster comes last: who knows of bo has read the course as it is now.
        (folder / "course.toml").write_text(COURSE.format(more=press_limit("full")))
        (folder / "roster.csv").write_text("id,name\nada,Ada\nbo,Bo\n")
        muddled("host", "--passwords", "passwords.csv", "--quiet", folder=folder)
        assert until(
            lambda: (
                "read anew" in (folder / "host.err").read_text()
                and (folder / "repositories/press-limit/bo.git").exists()
            )
        )
        host.passwords |= {"bo": (folder / "passwords.csv").read_text().split("bo,Bo,")[1].strip()}
        assert until(lambda: bool(git(tmp_path, f"git ls-remote {host.remote('bo')}").returncode == 0))
        assert "wanted: theirs (night-shift)" in unwrapped(works(host, "bo", WRONG))
        (folder / "course.toml").write_text("title = 3\n")
        assert until(lambda: bool("served as it was" in (folder / "host.err").read_text()))
        assert "course.toml:1: title" in (folder / "host.err").read_text()
        assert "got it" in works(
            host, "bo", f"git reset -q --hard HEAD~1\n{RIGHT}", push="git push -f origin main"
        )
        # Who is taken off the roster has nothing here any more.
        old = host.passwords["ada"]
        muddled(
            "host",
            "--roster",
            "roster.csv",
            "--course",
            "first-conflicts",
            "--ledger",
            "orchard.db",
            "--passwords",
            "passwords.csv",
            "--renew",
            "ada",
            "--quiet",
            folder=folder,
        )
        assert old not in (folder / "passwords.csv").read_text()
        assert until(lambda: bool(git(tmp_path, f"git ls-remote {host.remote('ada')}").returncode))
        assert git(tmp_path, f"git ls-remote {host.remote('ada')}").returncode, (
            "the old password is no longer one"
        )
        # Another roster is named, while somebody else is at work with the ledger.
        (folder / "others.csv").write_text("id,name\nbo,Bo\ncyd,Cyd\n")
        with database(folder / "orchard.db", isolation_level=None) as db:
            db.execute("BEGIN EXCLUSIVE")
            text = COURSE.format(more=press_limit()).replace("roster.csv", "others.csv")
            (folder / "course.toml").write_text(text)
            time.sleep(8)
            db.execute("COMMIT")
        assert until(lambda: bool((folder / "repositories/press-limit/cyd.git").exists()))
        assert (folder / "repositories/press-limit/cyd.git").exists()
        assert "bo" in host.page("bo", "/").lower()
        (folder / "others.csv").write_text("id,name\ncyd,Cyd\n")
        gone = "remote: You are not in this course any more"
        assert until(lambda: gone in git(tmp_path, f"git ls-remote {host.remote('bo')}").stderr)


def test_killed_during_pushes(tmp_path: Path) -> None:
    """Whatever Git reported as done is there after a restart, and graded; no ref is half written. HOST_KILLS=40 does more."""
    seed = int(os.environ.get("HOST_SEED", random.randrange(10**6)))
    chance = random.Random(seed)
    folder = course_of(tmp_path / "course", ["ada"], press_limit())
    place = tmp_path / "w"
    done = 0
    for turn in range(int(os.environ.get("HOST_KILLS", "4"))):
        with hosted(folder) as host, ThreadPoolExecutor(1) as pusher:
            if not place.exists():
                shell(tmp_path, f"git clone -q {host.remote('ada')} w")
            git(
                place,
                f"git remote set-url origin {host.remote('ada')}; echo {turn} >> more.txt; git add .; git commit -qm {turn}",
            )
            pushing = pusher.submit(git, place, "git push origin main")
            time.sleep(chance.uniform(0, 0.35))
            host.kill()
            reported = "main -> main" in pushing.result().stderr
            done += reported
            there = folder / "repositories/press-limit/ada.git"
            subprocess.run(["git", "fsck", "--strict"], cwd=there, check=True, capture_output=True)
            head = shell(place, "git rev-parse main").strip()
            if reported:
                assert shell(there, "git rev-parse refs/heads/main").strip() == head, f"HOST_SEED={seed}"
            assert not list(there.rglob("refs/**/*.lock")) or not reported
    with hosted(folder) as host:
        said = git(place, f"git remote set-url origin {host.remote('ada')}; git push origin main").stderr
        assert "main -> main" in said or "up-to-date" in said, f"HOST_SEED={seed}: {said}"
        for _ in range(100):
            pushes = pushes_of(folder)
            if pushes and all(one[2] for one in pushes):
                break
            time.sleep(0.1)
    assert pushes_of(folder), f"HOST_SEED={seed}"
    assert all(graded_ for _, _, graded_ in pushes_of(folder)), f"HOST_SEED={seed}"


@pytest.mark.skipif(shutil.which("openssl") is None, reason="there is no openssl here to make a certificate")
def test_what_can_not_be_served_is_told(tmp_path: Path) -> None:
    folder = course_of(tmp_path / "course", ["ada"], press_limit())
    shell(folder, "openssl req -x509 -newkey rsa:2048 -nodes -days 2 -subj /CN=quillfold.example -keyout key.pem -out cert.pem 2>/dev/null"
          "; openssl genrsa -out other.pem 2048 2>/dev/null")  # fmt: skip
    (tmp_path / "bin").mkdir()
    fake = tmp_path / "bin/git"
    fake.write_text(
        f'#!/bin/sh\n[ "$1" = --exec-path ] && echo {tmp_path} && exit\nexec {shutil.which("git")} "$@"\n'
    )
    fake.chmod(0o755)
    with socket.create_server(("127.0.0.1", 0)) as taken:
        port = str(taken.getsockname()[1])
        for more, says in (
            (("--port", port), f"127.0.0.1:{port} can't be listened on: Address already in use"),
            (("--address", "192.0.2.1"), "192.0.2.1:8000 can't be listened on"),
            (
                ("--certificate", "cert.pem", "--key", "other.pem"),
                "cert.pem: the certificate can't be used: key values mismatch",
            ),
            (
                ("--certificate", "none.pem"),
                "none.pem: there is no such file",
            ),
            (("--certificate", "cert.pem", "--key", "none.pem"), "none.pem: there is no such file"),
            (("--proxy", "proxy.example"), "--proxy proxy.example: this is no IP address"),
            (("--certificate", "roster.csv"), "roster.csv: the certificate can't be used"),
            (("--key", "key.pem"), "--key without --certificate"),
            (("--port", "70000"), "--port 70000: a port is a number from 0 to 65535"),
            (("--url", "quillfold.example"), "--url quillfold.example: it begins with http"),
            (("--renew", "ada"), "--renew goes with --passwords"),
            (("--passwords", "passwords.csv", "--renew", "adda"), 'there is no learner "adda"'),
            (("--passwords", "roster.csv"), "roster.csv: this is no list of passwords"),
            (("--ledger", "new.db"), "nobody has a password yet"),
            (("--roster", "-"), "the roster of a host must be a file"),
        ):
            assert says in muddled("host", *more, folder=folder, code=2).stderr, more
        lacking = muddled(
            "host", folder=folder, code=2, more={"PATH": f"{tmp_path}/bin:{os.environ['PATH']}"}
        ).stderr
        assert "this Git has no http-backend" in lacking
    assert (folder / "roster.csv").read_text().startswith("id,name")
    (folder / "roster.csv").write_text("id,name\ninstructor,Instructor\n")
    assert 'the roster has a learner "instructor"' in muddled("host", folder=folder, code=2).stderr
    (folder / "roster.csv").write_text("id,name\nada,Ada\nbo,Bo\n")
    with hosted(folder, "--certificate", "cert.pem", "--key", "key.pem", "--address", "127.0.0.1") as host:
        assert host.url.startswith("https://127.0.0.1:")
        url = host.url.replace("//", f"//ada:{host.passwords['ada']}@") + "git/ada/press-limit.git"
        assert "main" in git(tmp_path, f"git -c http.sslVerify=false ls-remote {url}").stdout
        assert (
            "another host serves these repositories"
            in muddled("host", "--port", "0", folder=folder, code=2).stderr
        )
        other = ("host", "--port", "0", "--repositories", "elsewhere")
        assert "another host works with this ledger" in muddled(*other, folder=folder, code=2).stderr
    shell(
        folder,
        "chmod 644 key.pem; openssl req -new -key key.pem -subj /CN=q.example | openssl x509 -req -signkey key.pem -days -1 -out old.pem 2>/dev/null",
    )
    with hosted(folder, "--certificate", "old.pem", "--key", "key.pem") as host:
        assert host.process.stdout is not None
        told = "".join(host.process.stdout.readline() for _ in range(3))
        assert "Others on this machine can read the key: chmod 600 key.pem" in told
        assert "The certificate has expired: Git and browsers refuse it." in told


def test_a_slow_or_large_body_and_a_clock_that_goes_back(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(received, "_SLOWEST", 0.05)

    async def body(*parts: bytes, wait: float = 0.0) -> AsyncIterator[bytes]:
        for part in parts:
            await asyncio.sleep(wait)
            yield part

    async def taken(stream: AsyncIterator[bytes], *, zipped: bool = False) -> bytes:
        body = await received.received(stream, 100, HeldFile(held, "ada"), zipped=zipped)
        data = body.file.read()
        assert body.size == len(data) == held.total
        body.close()
        return data

    held = Held(10**6, 10**6)

    assert asyncio.run(taken(body(b"a", b"b"))) == b"ab"
    import gzip

    bomb = gzip.compress(bytes(10**7))
    for stream, zipped, status in (
        (body(b"x" * 101), False, 413),
        (body(b"a", b"b", wait=0.04), False, 408),
        (body(bomb), True, 413),
        (body(b"no gzip"), True, 400),
    ):
        with pytest.raises(Refused) as refused:
            asyncio.run(taken(stream, zipped=zipped))
        assert (refused.value.status, held.total) == (status, 0)
    times = [datetime(2031, 9, 1, 8, minute, tzinfo=UTC) for minute in (0, 30, 10, 11, 31)]
    back: list[timedelta] = []
    clock = Clock(back.append, iter([times[0], *times[1:]]).__next__)
    assert [clock.now().minute for _ in range(4)] == [30, 30, 30, 31]
    assert back == [timedelta(minutes=20)], "told once"


def test_passwords_are_slow_to_guess(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(access, "_FIRST_DELAY", 0.02)
    monkeypatch.setattr(access, "_LONGEST_DELAY", 0.35)
    word = new_password()
    assert len(word) == 14
    assert matches(word.upper().replace("-", " "), hashed(word))
    assert not matches(word[:-1], hashed(word))

    def header(who: str, password: str) -> str:
        import base64

        return "Basic " + base64.b64encode(f"{who}:{password}".encode()).decode()

    async def guess() -> None:
        people = Access({"ada": hashed(word)})
        began = time.monotonic()
        for _ in range(5):
            assert await people.who(header("ada", "wrong"), "192.0.2.7") is None
        assert time.monotonic() - began > 0.02 * 31, "each takes twice as long as the one before"
        assert await people.who(header("ada", word), "192.0.2.8") == "ada", "from elsewhere nobody is held up"
        began = time.monotonic()
        assert await people.who(header("ada", word), "192.0.2.7") == "ada"
        assert time.monotonic() - began < 0.5, "who was right before is known"
        many = await asyncio.gather(
            *(people.who(header("bo", "x"), "192.0.2.9") for _ in range(30)), return_exceptions=True
        )
        assert sum(isinstance(one, TooManyGuesses) for one in many) == 22
        people.renew({"ada": hashed(new_password())})
        assert await people.who(header("ada", word), "192.0.2.8") is None
        for odd in (None, "", "Basic", "Basic %%%", "Bearer x", "Basic " + "QQ=="):
            assert await people.who(odd, "192.0.2.7") is None

    asyncio.run(guess())


def test_gits_protocol_is_read_and_written() -> None:
    def pkt(text: str) -> bytes:
        return b"%04x" % (len(text.encode()) + 4) + text.encode()

    zero, one = "0" * 40, "1" * 40
    caps = "report-status side-band-64k push-options agent=git/2.39"
    push = (
        pkt(f"{zero} {one} refs/heads/main\0{caps}")
        + pkt(f"{zero} {one} refs/heads/ö x")
        + b"0000"
        + pkt("help")
        + pkt("ci=skip")
        + b"0000PACK"
    )
    found = push_request(push)
    assert found.refs == ("refs/heads/main", "refs/heads/ö x")
    assert (found.options, found.takes_text) == (("help", "ci=skip"), True)
    assert push_request(b"0000").refs == ()
    ask = (
        pkt("command=ls-refs\n")
        + pkt("server-option=help\n")
        + b"0001"
        + pkt("server-option=not\n")
        + b"0000"
    )
    assert server_options(ask) == ("help",)
    answer = pkt("\1" + "000eunpack ok\n0000") + b"0000"
    said = with_text(answer, ["one", "x" * 3000])
    assert said.startswith(answer[:-4] + b"")
    assert said.endswith(b"0000")
    bands = io.BytesIO(said[len(answer) - 4 : -4])
    text = b""
    while size := bands.read(4):
        part = bands.read(int(size, 16) - 4)
        assert part[:1] == b"\2"
        text += part[1:]
    assert text.decode() == "one\n" + "x" * 3000 + "\n"


ENDS: tuple[Callable[[], object], ...] = (
    lambda: push_request(b"zz"),
    lambda: push_request(b"0003"),
    lambda: server_options(b"fffff"),
    lambda: with_text(b"0008abcd", ["x"]),
)


@pytest.mark.parametrize("odd", ENDS)
def test_what_is_not_gits_protocol_is_refused(odd: Callable[[], object]) -> None:
    with pytest.raises(Exception, match=r"protocol|no end"):
        odd()


def grader_of(host: int) -> int:
    """The process that grades for a host: the child of it that is Python."""
    for stat in Path("/proc").glob("[0-9]*/stat"):
        with suppress(OSError):
            name, _, rest = stat.read_text().partition(")")
            if rest.split()[1] == str(host) and "python" in name:
                return int(stat.parent.name)
    raise AssertionError("it has none")


def test_a_push_is_kept_whatever_becomes_of_its_grading(tmp_path: Path) -> None:
    """What grades is stopped, then killed, and the ledger is in use: each push is told to be safe, and is graded later."""
    folder = course_of(tmp_path / "course", ["ada"], press_limit())

    def all_graded(number: int) -> bool:
        for _ in range(200):
            if pushes_of(folder) == [("ada", "press-limit", True)] * number:
                return True
            time.sleep(0.1)
        return False

    with hosted(folder, "--jobs", "1") as host:
        works(host, "ada", "true", push="true")
        worker = grader_of(host.process.pid)
        os.kill(worker, signal.SIGSTOP)
        said = works(host, "ada", WRONG)
        assert "Push 1 is safe here. It will be graded later: see the page." in said
        assert all_graded(1), "what stands still is ended, and another one grades"
        os.kill(grader_of(host.process.pid), signal.SIGKILL)
        assert "remote: Push 2" in works(host, "ada", "git commit -q --allow-empty -m more")
        assert all_graded(2)
        with database(folder / "orchard.db", isolation_level=None) as db:
            db.execute("BEGIN EXCLUSIVE")
            said = works(host, "ada", "git commit -q --allow-empty -m again")
            assert "Push 3 is safe here. It will be graded later" in said
            db.execute("COMMIT")
        assert all_graded(3)


def test_a_full_disk_costs_the_push_alone(tmp_path: Path) -> None:
    """A file of the host's may not grow beyond a bound here, as on a disk that is full."""
    folder = course_of(tmp_path / "course", ["ada"], press_limit())
    with hosted(folder) as host:
        works(host, "ada", "true", push="true")
        resource.prlimit(host.process.pid, resource.RLIMIT_FSIZE, (150_000, resource.RLIM_INFINITY))
        done = git(
            folder / "at/ada/work",
            "head -c 400000 /dev/urandom > more; git add more; git commit -qm more; git push origin main",
        )
        assert done.returncode
        assert "error" in done.stderr
        told = "A push of ada could not be received: it can't be kept (File too large)"
        assert told in (folder / "host.err").read_text(), "whoever runs it is told"
        assert "Something does not work here" in host.page("instructor", "/board")
        resource.prlimit(
            host.process.pid, resource.RLIMIT_FSIZE, (resource.RLIM_INFINITY, resource.RLIM_INFINITY)
        )
        shell(folder / "repositories/press-limit/ada.git", "git fsck --strict")
        assert pushes_of(folder) == []
        assert "Push 1: not yet" in works(host, "ada", f"git reset -q --hard HEAD~1\n{WRONG}")


def test_who_runs_it_can_watch_it_and_keep_copies(tmp_path: Path) -> None:
    """Health, figures, the log, and a copy of the ledger, while it is at work; below a path, which a proxy takes
    away or leaves."""
    folder = course_of(tmp_path / "course", ["ada"], press_limit())
    log = tmp_path / "host.log"
    with socket.create_server(("127.0.0.1", 0)) as free:
        port = free.getsockname()[1]
    url = f"http://127.0.0.1:{port}/orchard/"
    with hosted(folder, "--port", str(port), "--url", url, before=("--log", log)) as host:
        assert host.url == url
        assert (folder / "repositories").stat().st_mode & 0o077 == 0
        assert "Push 1: not yet" in works(host, "ada", WRONG)
        assert f"More: {url}exercise/press-limit" in works(host, "ada", "git commit -q --allow-empty -m x")
        below, bare = replace(host, url=url), replace(host, url=url.replace("orchard/", ""))
        for one in (below, bare):
            assert 'href="../static/style.css"' in one.page("ada", "exercise/press-limit")
            assert f"git clone http://ada@127.0.0.1:{port}/orchard/git/ada" in one.page(
                "ada", "exercise/press-limit"
            )
            assert one.data("ada", "static/icon.svg")
            assert one.page("ada", "health") == "ready\n"
        assert "muddled_pushes_total 2\n" in host.page("instructor", "metrics")
        with pytest.raises(OSError, match="404"):
            host.page("ada", "metrics")
        git(tmp_path, f"git ls-remote {host.remote('ada').replace(host.passwords['ada'], 'wrong')}")
        muddled("ledger", "--backup", tmp_path / "copy.db", folder=folder)
        log.rename(tmp_path / "host.log.1")
        host.process.send_signal(signal.SIGHUP)
        works(host, "ada", "git commit -q --allow-empty -m y")
        with database(folder / "orchard.db", isolation_level=None) as db:
            db.execute("BEGIN EXCLUSIVE")
            time.sleep(6)
            with pytest.raises(OSError, match="503"):
                host.page("ada", "health")
            db.execute("COMMIT")
    told = (tmp_path / "host.log.1").read_text()
    assert "push 1 of ada to press-limit" in told
    assert "push 1: not yet, 12 of 26" in told
    assert "a wrong name or password from 127.0.0.1, for ada" in told
    assert "push 3 of ada" in log.read_text(), "it begins a new one where the old one was moved away"
    assert not any(word in told for word in host.passwords.values())
    with database(tmp_path / "copy.db") as db:
        assert db.execute("SELECT count(*) FROM push").fetchone() == (2,)
    assert (
        "this file exists already"
        in muddled("ledger", "--backup", tmp_path / "copy.db", folder=folder, code=2).stderr
    )


def test_room_that_runs_out_is_told_before(tmp_path: Path) -> None:
    folder = course_of(tmp_path / "course", ["ada"], press_limit())
    with hosted(folder, "--most-kept", "5", "--most-size", "3") as host:
        assert "Your repositories" not in works(host, "ada", WRONG)
        more = "head -c 2200000 /dev/urandom > more; git add more; git commit -qm more"
        assert "Your repositories" not in works(host, "ada", more)
        assert "Your repositories here hold 4 MiB of the 5 MiB that they may" in works(host, "ada", more)
        works(host, "ada", more)
        cloned = git(tmp_path, f"git clone -q {host.remote('ada')} whole")
        assert cloned.returncode == 0, f"all of it can be had: {cloned.stderr}"
        done = git(folder / "at/ada/work", f"{more}; git push origin main")
        assert done.returncode
        said = unwrapped(done.stderr)
        assert "Your repositories here hold the 5 MiB that they may: tell your instructor." in said


def test_a_start_that_was_killed_and_a_ledger_that_is_older_or_lost(tmp_path: Path) -> None:
    """Repositories are there, and the ledger does not know all of them or all that was pushed."""
    folder = course_of(tmp_path / "course", [f"l{number:02}" for number in range(40)], press_limit())
    process = subprocess.Popen([*PROGRAM, "host", "--port", "0"], cwd=folder, stdout=subprocess.DEVNULL)
    while len(list(folder.glob("repositories/press-limit/*.git"))) < 3:
        time.sleep(0.01)
    process.kill()
    process.wait()
    shutil.copy(folder / "orchard.db", folder / "older.db")
    with hosted(folder) as host:
        assert "Push 1: not yet" in works(host, "l00", WRONG)
        assert pushes_of(folder) == [("l00", "press-limit", True)]
    for file in folder.glob("orchard.db*"):
        file.unlink()
    shutil.copy(folder / "older.db", folder / "orchard.db")
    with hosted(folder) as host:
        assert "were there already that the ledger did not know" in (folder / "host.err").read_text()
        again = f"git push -f {host.remote('l00')} main"
        assert "Push 2: got it" in works(host, "l00", f"git reset -q --hard HEAD~1\n{RIGHT}", push=again)
        assert "Push 1: got it" in works(host, "l01", RIGHT)
    for file in folder.glob("orchard.db*"):
        file.unlink()
    muddled("host", "--passwords", "passwords.csv", "--quiet", folder=folder)
    with hosted(folder):
        for _ in range(200):
            if len(pushes := pushes_of(folder)) == 2 and all(graded for _, _, graded in pushes):
                break
            time.sleep(0.1)
    assert sorted(pushes_of(folder)) == [("l00", "press-limit", True), ("l01", "press-limit", True)]


def test_a_head_that_does_not_come_is_not_waited_for(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(protocol, "_HEADERS_WITHIN", 0.3)

    async def answered(_: object, __: object, send: Callable[[dict[str, object]], Awaitable[None]]) -> None:
        await send({"type": "http.response.start", "status": 200, "headers": [(b"content-length", b"0")]})
        await send({"type": "http.response.body", "body": b""})

    async def talk() -> tuple[bytes, bytes, float]:
        with socket.create_server(("127.0.0.1", 0)) as listener:
            config = uvicorn.Config(
                answered,
                http=protocol.protocol_with(Connections()),
                lifespan="off",
                log_level="critical",
                ws="none",
            )
            running = uvicorn.Server(config)
            serving = asyncio.create_task(running.serve(sockets=[listener]))
            began = time.monotonic()
            reader, writer = await asyncio.open_connection(*listener.getsockname())
            writer.write(b"GET / HTTP/1.1\r\nHost: x\r\n\r\n")
            first = await reader.readuntil(b"\r\n\r\n")
            writer.write(b"GET / HTTP/1.1\r\nHo")
            rest = b""
            with suppress(ConnectionError):
                rest = await asyncio.wait_for(reader.read(), 10)
            took = time.monotonic() - began
            writer.close()
            running.should_exit = True
            await serving
        return first, rest, took

    first, rest, took = asyncio.run(talk())
    assert first.startswith(b"HTTP/1.1 200")
    assert rest == b""
    assert took < 5


def test_of_old_pushes_less_is_held() -> None:
    history = RepositoryPushes({})
    for number in range(1, 15):
        push = RecordedPush(number, "2031-09-01T08:00:00+00:00", "ada", "press-limit", {})
        history.add(PushResult(push))
        history.add(PushResult(replace(push, grading=number), unreadable(str(number))))
    assert [one.push.id for one in history.pushes] == list(range(1, 15))
    assert [one.assessment is not None for one in history.pushes] == [False] * 4 + [True] * 10
    assert all(one.push.grading == one.push.id for one in history.pushes)


def test_the_demo_is_a_running_lesson(tmp_path: Path) -> None:
    words = [*PROGRAM, "demo", "lesson", "--host", "--port", "0"]
    running = subprocess.Popen(words, cwd=tmp_path, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True)
    try:
        assert running.stdout is not None
        for line in running.stdout:
            if "The class comes in now" in line:
                break
        for _ in range(200):
            if len(pushes_of(tmp_path / "lesson")) > 2:
                break
            time.sleep(0.1)
        rows = json.loads(muddled("board", "--json", folder=tmp_path / "lesson").stdout)["learners"]
        assert len(rows) == 30
        assert {row["stage"] for row in rows} > {"nothing begun"}
    finally:
        running.terminate()
        _, said = running.communicate(timeout=30)
    assert "Traceback" not in said
    assert running.returncode == 143
