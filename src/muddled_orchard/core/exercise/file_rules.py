"""A scenario's own rules, checked on one file, within bounds: what a rule can't decide in time blames
nobody."""

from __future__ import annotations

import functools

from muddled_orchard.core.base.limits import LARGEST_RULED, in_mib
from muddled_orchard.core.exercise.scenario import Rule
from muddled_orchard.core.exercise.text_rules import CHECKS, Flaw, Undecided, quoted

_SMALL = 1 << 15


def broken(rule: Rule, data: bytes | None) -> Flaw | None:
    """How a file breaks a rule, or None where the rule holds. `data` is None for a missing file. Raises
    Undecided."""
    if data is not None and len(data) > LARGEST_RULED:
        raise Undecided(f"{rule.file} is larger than {in_mib(LARGEST_RULED)}")
    return _remembered(rule, data) if data is None or len(data) < _SMALL else _broken(rule, data)


def rule_in_words(rule: Rule) -> str:
    """What a rule asks of its file: `has "limit = 70"`."""
    if rule.runs is not None:
        return f"runs {rule.runs}"
    if rule.parses is not None:
        return f"is well-formed {rule.parses.upper() if rule.parses != 'python' else 'Python'}"
    if rule.once is not None:
        return f'has "{quoted(rule.once)}" exactly once'
    if rule.matches is not None:
        return f"matches {quoted(rule.matches)}"
    return f'has "{quoted(rule.has)}"' if rule.has is not None else f'lacks "{quoted(rule.lacks or "")}"'


def _broken(rule: Rule, data: bytes | None) -> Flaw | None:
    if data is None:
        return None if rule.lacks is not None else ("the file is missing", None)
    text = data.decode("utf-8", "replace").replace("\r\n", "\n")
    if rule.parses is not None:
        from muddled_orchard.core.exercise.well_formed import syntax_error  # few scenarios need parsers

        return syntax_error(rule.parses, text)
    key = next(key for key in CHECKS if getattr(rule, key) is not None)
    return CHECKS[key](getattr(rule, key), text, rule.file)


_remembered = functools.lru_cache(maxsize=512)(_broken)  # a class hands in the same small file many times
