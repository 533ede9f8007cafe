"""JSON as every command writes it."""

from __future__ import annotations

import json


def json_text(data: object) -> str:
    """The text, UTF-8 safe, with a final newline. A name may hold bytes that are no UTF-8: they are told, not
    passed on."""
    return json.dumps(data, ensure_ascii=False, indent=1).encode("utf-8", "backslashreplace").decode() + "\n"
