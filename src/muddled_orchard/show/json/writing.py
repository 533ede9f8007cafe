"""JSON as every command writes it: data, brought into the shape of its output."""

from __future__ import annotations

import json
from typing import TypeVar

import msgspec
from msgspec import UNSET, Struct
from msgspec.structs import fields

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
    UTF-8: they are told, not passed on."""
    text = json.dumps(msgspec.to_builtins(data), ensure_ascii=False, indent=1)
    return text.encode("utf-8", "backslashreplace").decode() + "\n"
