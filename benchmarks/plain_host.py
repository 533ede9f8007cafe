"""The by-hand way: the same server, `git http-backend` for every request, and nothing else.

Usage: python -m benchmarks.plain_host FOLDER PORT
"""

from __future__ import annotations

import asyncio
import os
import subprocess
import sys
from pathlib import Path

import uvicorn
from starlette.applications import Starlette
from starlette.requests import Request
from starlette.responses import Response
from starlette.routing import Route

_AT_ONCE = 8


def app(folder: Path) -> Starlette:
    """Repositories of a folder, for everybody."""
    free = asyncio.Semaphore(_AT_ONCE)
    settings = {"http.receivepack": "true", "safe.directory": "*"}
    environment = {
        "PATH": os.environ["PATH"], "GIT_PROJECT_ROOT": str(folder), "GIT_HTTP_EXPORT_ALL": "1",
        "GIT_CONFIG_GLOBAL": os.devnull, "GIT_CONFIG_COUNT": str(len(settings)),
    }  # fmt: skip
    for number, (key, value) in enumerate(settings.items()):
        environment |= {f"GIT_CONFIG_KEY_{number}": key, f"GIT_CONFIG_VALUE_{number}": value}

    async def served(request: Request) -> Response:
        body = await request.body()
        about = {
            "PATH_INFO": request.url.path, "REQUEST_METHOD": request.method,
            "QUERY_STRING": request.url.query,
            "CONTENT_TYPE": request.headers.get("content-type", ""), "CONTENT_LENGTH": str(len(body)),
            "HTTP_CONTENT_ENCODING": request.headers.get("content-encoding", ""),
            "GIT_PROTOCOL": request.headers.get("git-protocol", ""),
        }  # fmt: skip
        async with free:
            process = await asyncio.create_subprocess_exec(
                "git", "http-backend", stdin=subprocess.PIPE, stdout=subprocess.PIPE,
                stderr=subprocess.DEVNULL, env=environment | about,
            )  # fmt: skip
            said, _ = await process.communicate(body)
        head, _, content = said.partition(b"\r\n\r\n")
        headers = dict(line.split(": ", 1) for line in head.decode().split("\r\n"))
        return Response(content, int(headers.pop("Status", "200").split()[0]), headers)

    return Starlette(routes=[Route("/{rest:path}", served, methods=["GET", "POST"])])


if __name__ == "__main__":
    uvicorn.run(app(Path(sys.argv[1])), port=int(sys.argv[2]), log_level="critical", ws="none", http="h11")
