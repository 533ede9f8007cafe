"""What is written on a terminal line by line, without Rich."""

from __future__ import annotations

import io

import pytest

from muddled_orchard.show.terminal.plain import Plain


class Screen(io.StringIO):
    """A terminal that takes down what is written on it."""

    encoding = "utf-8"

    def isatty(self) -> bool:
        return True


@pytest.fixture
def screen(monkeypatch: pytest.MonkeyPatch) -> Screen:
    monkeypatch.setenv("COLUMNS", "24")
    monkeypatch.setenv("TERM", "xterm")
    monkeypatch.delenv("NO_COLOR", raising=False)
    return Screen()


@pytest.mark.parametrize(
    ("text", "lines"),
    [
        ("", [""]),
        ("  as wide as it may be..", ["  as wide as it may be.."]),
        ("  what is wider goes on below", ["  what is wider goes on", "  below"]),
        ("  two  blanks stay", ["  two  blanks stay"]),
        ("a" * 30, ["a" * 24, "a" * 6]),
        ("梨の木の畑の水やりと枝切り", ["梨の木の畑の水やりと枝切", "り"]),  # two columns each
    ],
)
def test_lines_are_broken_where_the_terminal_ends(text: str, lines: list[str], screen: Screen) -> None:
    Plain(screen).line(text)
    assert screen.getvalue().splitlines() == lines


def test_what_does_not_fit_on_a_line_is_cut(screen: Screen) -> None:
    Plain(screen).cut(("● ", ""), ("a subject that is too long", ""))
    Plain(screen).cut(("● ", ""), ("a short subject", ""))
    assert screen.getvalue().splitlines() == ["● a subject that is too…", "● a short subject"]
    screen.encoding = "ascii"
    Plain(screen).cut(("* a subject that is too long", ""))
    assert screen.getvalue().splitlines()[-1] == "* a subject that is t..."


def test_columns_stand_below_each_other(screen: Screen) -> None:
    rows = [[("梨", "bad"), ("a long remark on it", ""), ("x", "")], [("plums", ""), ("", ""), ("", "")]]
    Plain(screen).columns(rows, whole=(0, 2))
    # Seven columns of 24 are taken by the others and the gaps; a style has its own line's end.
    assert screen.getvalue().splitlines() == [
        "\x1b[31m梨\x1b[0m     a long remark   x",
        "       on it",
        "plums",
    ]


@pytest.mark.parametrize(
    ("variable", "value"), [("NO_COLOR", "1"), ("TERM", "dumb")], ids=["asked for none", "has none"]
)
def test_no_colour_where_there_is_none(
    variable: str, value: str, screen: Screen, monkeypatch: pytest.MonkeyPatch
) -> None:
    Plain(screen).line("good", "good")
    monkeypatch.setenv(variable, value)
    Plain(screen).line("good", "good")
    assert screen.getvalue() == "\x1b[32mgood\x1b[0m\ngood\n"
