"""JSON as every command writes it: data, brought into the shape of its output."""

from __future__ import annotations

import json
from typing import TypeVar

import msgspec
from msgspec import UNSET, Struct
from msgspec.structs import fields

from muddled_orchard.core.base.patterns import pattern

_T = TypeVar("_T", bound=Struct)


def shaped(shape: type[_T], *sources: object, **more: object) -> _T:
    """The struct of a shape: each field is what `more` says, or the attribute of its name of the first source
    that has one; structs in fields are shaped by their attributes alike."""
    values = {
        item.encode_name: more[item.name]
        if item.name in more
        else getattr(next(source for source in sources if hasattr(source, item.name)), item.name)
        for item in fields(shape)
        if more.get(item.name) is not UNSET
    }
    return msgspec.convert(values, shape, from_attributes=True)


def json_text(data: object) -> str:
    """The text, UTF-8 safe, with a final newline; structs are objects. A name may hold bytes that are no
    UTF-8: they are told, not passed on. What turns a line around or speaks to a terminal is escaped."""
    text = json.dumps(msgspec.to_builtins(data), ensure_ascii=False, indent=1)
    text = _UNSEEN.sub(lambda match: f"\\u{ord(match[0]):04x}", text)
    return text.encode("utf-8", "backslashreplace").decode() + "\n"


_UNSEEN = pattern("[\x7f-\x9f\u00ad\u061c\u200b-\u200f\u2028-\u202e\u2060-\u206f\ufeff]")
"""Characters that show nothing themselves: the rest of C0 and all of C1, and those of Unicode that change the
direction of what stands around them, or hide in it."""
