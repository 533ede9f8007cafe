"""A walkthrough as a shell script that plays it: in a fresh folder, step by step, with real Git."""

from __future__ import annotations

import base64
import shlex
from collections.abc import Iterator

from muddled_orchard.core.git.lines import is_binary
from muddled_orchard.core.git.trees import EXECUTABLE, LINK
from muddled_orchard.core.walkthrough.walkthrough import (
    WORK,
    Edited,
    Identity,
    Marked,
    Part,
    Ran,
    Said,
    Viewed,
    Walkthrough,
    WalkthroughStep,
)

_BEGIN = """\
#!/usr/bin/env bash
# {title}
#
# Plays the walkthrough of {id} step by step:   bash {id}.sh [FOLDER]
# It works in FOLDER, which must not exist yet or be empty (without one: ./{id}). In a terminal it stops
# between steps; Enter goes on, Ctrl-C ends it. Names, dates and settings are its own, so commits have the
# same ids wherever it is played.

folder=${{1:-{id}}}
if [ -n "$(ls -A -- "$folder" 2>/dev/null)" ]; then
  echo "$folder is not an empty folder. Name a new one; nothing was written." >&2
  exit 2
fi
mkdir -p -- "$folder" && cd -- "$folder" && top=$PWD || exit 2

for name in ${{!GIT_@}}; do unset "$name"; done
export GIT_CONFIG_NOSYSTEM=1 GIT_CONFIG_GLOBAL=/dev/null GIT_TERMINAL_PROMPT=0 GIT_EDITOR=: GIT_PAGER=cat
export LC_ALL=C TZ=UTC

step() {{
  if [ -t 0 ] && [ -n "$started" ]; then printf '\\n[Enter] '; read -r _ || exit 0; fi
  started=yes
  printf '\\n== %s\\n' "$1"
}}
say() {{ printf '\\n%s\\n' "$1" | fold -s -w 78; }}
quoted() {{
  local word text=
  for word; do
    case $word in
      '' | *[!A-Za-z0-9_./:=@%+,-]*) text+=" '${{word//\\'/\\'\\\\\\'\\'}}'" ;;
      *) text+=" $word" ;;
    esac
  done
  printf '%s' "${{text# }}"
}}
run() {{ printf '\\n$ %s\\n' "$(quoted "$@")"; "$@"; }}
show() {{ printf '\\n$ cat %s\\n' "$(quoted "$1")"; cat -- "$1"; }}
as() {{  # NAME ADDRESS DATE [replays]: who commits from here on
  unset GIT_AUTHOR_NAME GIT_AUTHOR_EMAIL GIT_AUTHOR_DATE
  export GIT_COMMITTER_NAME=$1 GIT_COMMITTER_EMAIL=$2 GIT_COMMITTER_DATE=$3
  if [ -z "$4" ]; then export GIT_AUTHOR_NAME=$1 GIT_AUTHOR_EMAIL=$2 GIT_AUTHOR_DATE=$3; fi
}}
put() {{  # PATH MODE: a file becomes what comes in
  local new
  new=$(mktemp) || exit 1
  cat > "$new"
  printf '\\n# edit %s\\n' "$1"
  if [ -f "$1" ] && ! [ -L "$1" ]; then
    git --no-pager diff --no-index --no-color -U2 -- "$1" "$new" | sed '1,/^+++/d'
  fi
  rm -f -- "$1"
  mkdir -p -- "$(dirname -- "$1")"
  cat -- "$new" > "$1"
  chmod "$2" -- "$1"
  rm -f -- "$new"
}}
link() {{
  printf '\\n# link %s to %s\\n' "$1" "$2"
  rm -f -- "$1"
  mkdir -p -- "$(dirname -- "$1")"
  ln -s -- "$2" "$1"
}}
gone() {{ printf '\\n# remove %s\\n' "$1"; rm -f -- "$1"; rmdir -- "$(dirname -- "$1")" 2>/dev/null; }}
"""

_END = """
printf '\n%s\n' "That was all. The repository is in $top/work."
"""


def walkthrough_script(walkthrough: Walkthrough) -> str:
    """The script, for bash 3.2 or newer."""
    title = " ".join(walkthrough.title.split())
    return _BEGIN.format(id=walkthrough.id, title=title) + "".join(_Script().lines(walkthrough)) + _END


class _Script:
    """What the script has told so far: the folder it stands in, and who commits."""

    def __init__(self) -> None:
        self.folder = "."
        self.who: Identity | None = None

    def lines(self, walkthrough: Walkthrough) -> Iterator[str]:
        for step in walkthrough.steps:
            yield from self._step(step)

    def _step(self, step: WalkthroughStep) -> Iterator[str]:
        title = " ".join(f"{step.number}  {step.title}  ({step.name})".split(" "))
        yield f"\nstep {_word(title)}\n"
        for part in step.parts:
            yield from self._part(part)

    def _part(self, part: Part) -> Iterator[str]:
        match part:
            case Said(text):
                yield f"say {_word(text)}\n"
            case Ran():
                yield from self._ran(part)
            case Edited():
                yield from self._go(part.folder)
                yield from _edited(part)
            case Viewed(path) | Marked(path):
                yield from self._go(WORK)
                yield f"show {_word(path)}\n"

    def _go(self, folder: str) -> Iterator[str]:
        if folder != self.folder:
            self.folder = folder
            yield 'cd -- "$top" || exit 1\n' if folder == "." else f'cd -- "$top/{folder}" || exit 1\n'

    def _ran(self, ran: Ran) -> Iterator[str]:
        yield from self._go(ran.folder)
        if ran.who is not None and ran.who != self.who:
            self.who = ran.who
            words = [_word(ran.who.name), _word(ran.who.email), _word(ran.who.date)]
            yield " ".join(("as", *words, *(["replays"] if ran.who.replays else []))) + "\n"
        command = " ".join(map(_word, ran.words))
        before = "".join(f"{name}={shlex.quote(value)} " for name, value in ran.variables.items())
        typed = f"printf '%s\\n' {' '.join(map(_word, ran.typed_lines))} | " if ran.typed_lines else ""
        yield f"{ran.keeps}=$({command})\n" if ran.keeps else f"{typed}{before}run {command}\n"


def _word(word: str) -> str:
    """A word for the shell; `$name` is what was kept."""
    if word.startswith("$") and word[1:].isidentifier():
        return f'"{word}"'
    return shlex.quote(word)


def _edited(edit: Edited) -> Iterator[str]:
    path = _word(edit.path if not edit.path.startswith("-") else f"./{edit.path}")
    if edit.after is None:
        yield f"gone {path}\n"
        return
    if edit.mode == LINK:
        yield f"link {path} {_word(edit.after.decode('utf-8', 'surrogateescape'))}\n"
        return
    mode = "755" if edit.mode == EXECUTABLE else "644"
    text = _as_text(edit.after)
    if text is None:
        lines = base64.encodebytes(edit.after).decode("ascii")
        yield f"base64 -d <<'END' | put {path} {mode}\n{lines}END\n"
        return
    end = "END"
    while end in text.splitlines():
        end += "_"
    yield f"put {path} {mode} <<'{end}'\n{text}{end}\n"


def _as_text(data: bytes) -> str | None:
    """The text as a script can hold it, or None where it can't."""
    if is_binary(data) or b"\0" in data or (data and not data.endswith(b"\n")):
        return None
    try:
        return data.decode("utf-8")
    except UnicodeDecodeError:
        return None
