"""Git's pkt-lines, as its wire protocol has them: what a client asks for, and lines put into an answer.

Source: `gitprotocol-common(5)`, `gitprotocol-pack(5)`, `gitprotocol-v2(5)`.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from msgspec import Struct

from muddled_orchard.core.base.problems import BadInput, Problem

FLUSH = b"0000"

_LONGEST = 65_520
_REPORT = b"\x01"  # the band of the answer itself
_PROGRESS = b"\x02"  # the band whose text Git shows its user as `remote: ...`
_SIDE_BANDS = (b"side-band-64k", b"side-band")


class PushRequest(Struct, frozen=True):
    """What `git push` asks for: the refs that it updates, what the client can, and push options. Its pack
    begins at `pack`, where there is one."""

    refs: tuple[str, ...]
    capabilities: frozenset[bytes]
    options: tuple[str, ...]
    pack: int

    @property
    def takes_text(self) -> bool:
        """Whether the client shows text that comes with the answer."""
        return any(band in self.capabilities for band in _SIDE_BANDS)


def packets(data: bytes, start: int = 0) -> Iterator[tuple[int, bytes | None]]:
    """Each pkt-line from a place on: the place behind it, and its content; None for flushes and delimiters.
    Raises BadInput where there is none."""
    while start < len(data):
        try:
            length = int(data[start : start + 4], 16)
        except ValueError:
            length = -1
        if length in (0, 1, 2):
            start += 4
            yield start, None
            continue
        if not 4 <= length <= _LONGEST or start + length > len(data):
            raise BadInput(Problem("what was sent does not follow Git's protocol"))
        yield start + length, data[start + 4 : start + length]
        start += length


def push_request(data: bytes) -> PushRequest:
    """The head of what a client sends to `git-receive-pack`. Raises BadInput where it is none."""
    refs: list[str] = []
    capabilities: frozenset[bytes] = frozenset()
    place = 0
    for place, line in packets(data):  # noqa: B007 - where the commands end
        if line is None:
            break
        command, _, rest = line.rstrip(b"\n").partition(b"\0")
        if rest:
            capabilities = frozenset(rest.split())
        words = command.decode("utf-8", "replace").split(" ", 2)
        if len(words) == 3:
            refs.append(words[2])
    options: list[str] = []
    if b"push-options" in capabilities:
        for place, line in packets(data, place):  # noqa: B007, B020 - it goes on where the commands end
            if line is None:
                break
            options.append(line.decode("utf-8", "replace").rstrip("\n"))
    return PushRequest(tuple(refs), capabilities, tuple(options), place)


def refusal(request: PushRequest, why: str, lines: Iterable[str]) -> bytes:
    """What `git receive-pack` answers to a push of which nothing was taken: `why` in a few words for each
    ref, and lines that Git shows its user, where the client takes them."""
    report = _packet(f"unpack {why}\n".encode())
    report += b"".join(_packet(f"ng {ref} {why}\n".encode()) for ref in request.refs)
    report += FLUSH
    if not request.takes_text:
        return report
    bands = [report[at : at + 900] for at in range(0, len(report), 900)]
    answer = b"".join(_packet(_REPORT + part) for part in bands) + FLUSH
    return with_text(answer, lines)


def _packet(data: bytes) -> bytes:
    return b"%04x" % (len(data) + 4) + data


def server_options(data: bytes) -> tuple[str, ...]:
    """The server options (`git fetch -o`) of a request to `git-upload-pack`. Raises BadInput where it is
    none."""
    found = []
    for _, line in packets(data):
        if line is None:
            break
        name, _, value = line.decode("utf-8", "replace").rstrip("\n").partition("=")
        if name == "server-option":
            found.append(value)
    return tuple(found)


def with_text(answer: bytes, lines: Iterable[str]) -> bytes:
    """The answer of `git-receive-pack` with lines that Git shows its user before it ends. Raises BadInput
    where it does not end as such an answer does."""
    end = 0
    for place, line in packets(answer):
        if line is None and place == len(answer):
            end = place - len(FLUSH)
    if not end:
        raise BadInput(Problem("the answer of git receive-pack has no end"))
    text = "".join(f"{line}\n" for line in lines).encode()
    parts = [text[at : at + 900] for at in range(0, len(text), 900)]
    added = b"".join(_packet(_PROGRESS + part) for part in parts)
    return answer[:end] + added + answer[end:]
