"""Who may use a server on a shared machine: whoever has its token.

The token is shown once, when it is made, and kept as a hash. It comes by header
(`Authorization: Bearer TOKEN`) or by cookie, which the page that asks for it sets.
"""

from __future__ import annotations

import hashlib
import hmac
import json
import secrets
import time
from collections import deque
from collections.abc import Awaitable, Callable, MutableMapping
from http.cookies import CookieError, SimpleCookie
from pathlib import Path
from typing import Any
from urllib.parse import parse_qs

COOKIE = "kettle"
TRIES = 10  # wrong tokens from one address within WITHIN; ten times as many from all together
WITHIN = 60.0  # s
LARGEST_FORM = 2000  # bytes

_PAGE = """<!doctype html><html lang="en"><meta charset="utf-8"><title>Under Kettle</title>
<meta name="viewport" content="width=device-width"><style>
body{font:14px/1.5 system-ui,sans-serif;background:#f4f2ee;color:#2b2a28;display:grid;
place-items:center;min-height:90vh}form{display:grid;gap:10px;width:320px}
input,button{font:inherit;padding:7px 9px;border:1px solid #b9b4aa;border-radius:3px}
button{background:#2b2a28;color:#fff;border-color:#2b2a28}p{margin:0}</style>
<form method="post" action="/enter"><b>Under Kettle</b><p>%s</p>
<label>Token <input name="token" type="password" autofocus autocomplete="off"></label>
<button>Enter</button></form></html>"""


def _hash(token: str) -> str:
    return hashlib.sha256(token.encode("utf-8", "replace")).hexdigest()


def make_token(home: Path) -> str:
    """A new token; the home keeps its hash and forgets the one before."""
    token = secrets.token_urlsafe(24)
    home.mkdir(parents=True, exist_ok=True)
    path = home / "token"
    path.touch(mode=0o600)
    path.write_text(_hash(token))
    return token


class Access:
    """Lets in who has the token. clock : seconds, for tests."""

    def __init__(self, home: Path, clock: Callable[[], float] = time.monotonic) -> None:
        self.wanted = (home / "token").read_text().strip()
        self.clock = clock
        self.wrong: dict[str, deque[float]] = {}

    def lets_in(self, scope: MutableMapping[str, Any], headers: dict[str, str]) -> bool:
        given = headers.get("authorization", "")
        if given.lower().startswith("bearer "):
            return self._tried(scope, given[7:].strip())
        try:
            cookie = SimpleCookie(headers.get("cookie", "")).get(COOKIE)
        except CookieError:
            return False
        return cookie is not None and self._tried(scope, cookie.value)

    def _tried(self, scope: MutableMapping[str, Any], token: str) -> bool:
        """Whether the token is right; none is looked at after too many wrong ones."""
        who = str((scope.get("client") or ("",))[0])
        if self._too_many(who):
            return False
        if hmac.compare_digest(_hash(token), self.wanted):
            return True
        self.wrong.setdefault(who, deque()).append(self.clock())
        return False

    def _too_many(self, who: str) -> bool:
        long_ago = self.clock() - WITHIN
        for name, times in list(self.wrong.items()):
            while times and times[0] < long_ago:
                times.popleft()
            if not times:
                del self.wrong[name]
        return (
            len(self.wrong.get(who, ())) >= TRIES
            or sum(map(len, self.wrong.values())) >= 10 * TRIES
        )

    async def ask(
        self,
        scope: MutableMapping[str, Any],
        receive: Callable[[], Awaitable[MutableMapping[str, Any]]],
        send: Callable[[MutableMapping[str, Any]], Awaitable[None]],
    ) -> None:
        """Answer who has not been let in: the page that asks, or a refusal."""
        who = str((scope.get("client") or ("",))[0])
        if self._too_many(who):
            await _answer(send, 429, "Too many wrong tokens: wait a minute.", scope)
            return
        if scope["method"] == "POST" and scope["path"] == "/enter":
            token = await _typed(receive)
            if self._tried(scope, token):
                await send(
                    {
                        "type": "http.response.start",
                        "status": 303,
                        "headers": [
                            (b"location", b"/"),
                            (
                                b"set-cookie",
                                f"{COOKIE}={token}; HttpOnly; SameSite=Strict; Path=/; "
                                "Max-Age=2592000".encode(),
                            ),
                        ],
                    }
                )
                await send({"type": "http.response.body", "body": b""})
                return
            await _answer(send, 401, "That is not the token.", scope)
            return
        await _answer(
            send, 401, "This server asks for the token it showed when it was set up.", scope
        )


async def _typed(receive: Callable[[], Awaitable[MutableMapping[str, Any]]]) -> str:
    body = b""
    while len(body) <= LARGEST_FORM:
        message = await receive()
        body += message.get("body", b"")
        if not message.get("more_body"):
            break
    return parse_qs(body[:LARGEST_FORM].decode("utf-8", "replace")).get("token", [""])[0].strip()


async def _answer(
    send: Callable[[MutableMapping[str, Any]], Awaitable[None]],
    status: int,
    says: str,
    scope: MutableMapping[str, Any],
) -> None:
    api = scope["path"].startswith("/api/")
    body = (json.dumps({"faults": [], "text": says}) if api else _PAGE % says).encode()
    kind = b"application/json" if api else b"text/html; charset=utf-8"
    await send(
        {
            "type": "http.response.start",
            "status": status,
            "headers": [
                (b"content-type", kind),
                (b"cache-control", b"no-store"),
                (b"www-authenticate", b"Bearer"),
            ],
        }
    )
    await send({"type": "http.response.body", "body": body})
