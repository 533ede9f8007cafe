"""What is wrong with something that a person gave us, said so that they can mend it."""

from __future__ import annotations

from collections.abc import Iterable

from msgspec import Struct
from msgspec.structs import replace

KeyPath = tuple[str | int, ...]


class Problem(Struct, frozen=True):
    """One thing that is wrong.

    `what` says what is wrong and what was expected, `hint` what to do. `key` leads to the
    place inside a structured file (`("story", 2, "change", 0, "find")`; lists count from 0);
    the layer that knows the file turns it into `line` (from 1).
    """

    what: str
    hint: str = ""
    key: KeyPath = ()
    file: str | None = None
    line: int | None = None

    @property
    def key_text(self) -> str:
        """The key as a person would say it: `story[3].change[1].find`, counting from 1."""
        text = ""
        for part in self.key:
            text += f"[{part + 1}]" if isinstance(part, int) else f".{part}" if text else part
        return text

    def at(self, file: str, line: int | None) -> Problem:
        """The same problem, placed in a file."""
        return replace(self, file=file, line=line)

    def moved(self, key: KeyPath) -> Problem:
        """The same problem, at another key."""
        return replace(self, key=key)

    def __str__(self) -> str:
        place = ":".join(str(part) for part in (self.file, self.line) if part is not None)
        text = ": ".join(part for part in (place, self.key_text, self.what) if part)
        return f"{text}\n  {self.hint}" if self.hint else text


class BadInput(Exception):
    """Something that a person gave can't be used. `problems` holds everything found, in order."""

    def __init__(self, problems: Problem | Iterable[Problem]) -> None:
        self.problems = (problems,) if isinstance(problems, Problem) else tuple(problems)
        super().__init__("\n".join(str(problem) for problem in self.problems))

    def __reduce__(self) -> tuple[type[BadInput], tuple[tuple[Problem, ...]]]:
        """It may come out of a worker process."""
        return BadInput, (self.problems,)


def likely(word: str, known: Iterable[str]) -> str:
    """`Did you mean "merge"?`, or what there is to choose from, or nothing where there is nothing."""
    import difflib  # for those alone who mistype

    known = sorted(set(known))
    close = difflib.get_close_matches(word, known, n=1, cutoff=0.6)
    if close:
        return f'Did you mean "{close[0]}"?'
    if not known:
        return ""
    return f"There is: {', '.join(known[:12])}{', ...' if len(known) > 12 else '.'}"
