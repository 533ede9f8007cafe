"""JSON as every command writes it."""

from __future__ import annotations

import json

from msgspec.structs import asdict


def json_text(data: object) -> str:
    """The text, UTF-8 safe, with a final newline; structs are objects. A name may hold bytes that are no
    UTF-8: they are told, not passed on."""
    text = json.dumps(data, ensure_ascii=False, indent=1, default=asdict)
    return text.encode("utf-8", "backslashreplace").decode() + "\n"
