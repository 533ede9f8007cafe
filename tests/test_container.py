"""The container of a host: built and run where there is something to do that with, else only read."""

from __future__ import annotations

import json
import re
import shutil
import subprocess
import time
from pathlib import Path

import pytest

from muddled_orchard.commands.host.command import host_options

TOP = Path(__file__).parent.parent
LINES = re.sub(r"\\\n", " ", (TOP / "Containerfile").read_text("utf-8")).splitlines()
STEPS = [
    (line.partition(" ")[0], line.partition(" ")[2]) for line in LINES if line and not line.startswith("#")
]


def works(program: str) -> bool:
    """Whether containers can be built here, and what they are built from can be had."""
    if shutil.which(program) is None:
        return False
    base = dict(STEPS)["FROM"]
    for words in (("info",), ("pull", base)):
        try:
            done = subprocess.run([program, *words], capture_output=True, check=False, timeout=60)
        except subprocess.TimeoutExpired:
            return False
        if done.returncode:
            return False
    return True


def test_the_file_is_sound() -> None:
    assert {word for word, _ in STEPS} <= {"FROM", "RUN", "COPY", "USER", "WORKDIR", "VOLUME", "EXPOSE", "ENTRYPOINT", "CMD"}  # fmt: skip
    for word, rest in STEPS:
        for source in rest.split()[:-1] if word == "COPY" else ():
            assert (TOP / source).exists(), source
    steps = dict(STEPS)
    user = f"--home-dir {steps['WORKDIR']} {steps['USER']}"
    assert any(user in rest for word, rest in STEPS if word == "RUN"), "it is nobody's but its own"
    assert json.loads(steps["ENTRYPOINT"]) == ["muddled"]
    name, *words = json.loads(steps["CMD"])
    assert name == "host"
    assert host_options(words).port == int(steps["EXPOSE"])


def test_it_is_built_and_serves(tmp_path: Path) -> None:
    program = next((name for name in ("podman", "docker") if works(name)), None)
    if program is None:
        pytest.skip("neither podman nor docker can build here")
    run = [program, "run", "--rm", "--volume", f"{tmp_path}:/srv/orchard", "--user", "0"]
    subprocess.run(
        [program, "build", "--tag", "muddled-test", "--file", "Containerfile", "."], cwd=TOP, check=True
    )
    (tmp_path / "roster.csv").write_text("id,name\nada,Ada\n")
    common = ["muddled-test", "host", "press-limit", "--roster", "roster.csv"]
    subprocess.run([*run, *common, "--passwords", "passwords.csv"], check=True)
    host = subprocess.Popen([*run, "--name", "muddled-test", *common], stdout=subprocess.PIPE, text=True)
    try:
        assert host.stdout is not None
        assert "served to 1 learner" in host.stdout.readline()
        time.sleep(1)
    finally:
        subprocess.run([program, "kill", "muddled-test"], check=False)
        host.communicate()
