"""The door: what every request must be before any route sees it.

Refused here: hosts and origins that are not this server's own, bodies of another type than a route
takes, too large, no UTF-8 or no plain JSON, tokens that are wrong. Answers go out with what keeps a
browser from running or framing anything but the page.
"""

from __future__ import annotations

import json
import re
from collections.abc import Awaitable, Callable, Collection, MutableMapping
from typing import Any
from urllib.parse import unquote_to_bytes, urlsplit

from underkettle.case.faults import CaseError
from underkettle.case.keepable import LARGEST_CASE, read_plain
from underkettle.server.access import Access

Scope = MutableMapping[str, Any]
Message = MutableMapping[str, Any]
Receive = Callable[[], Awaitable[Message]]
Send = Callable[[Message], Awaitable[None]]
App = Callable[[Scope, Receive, Send], Awaitable[None]]

LOOPBACK = ("127.0.0.1", "localhost", "::1")
WRITING = ("POST", "PUT", "PATCH", "DELETE")
LARGEST_UPLOAD = 24_000_000  # bytes
UPLOADS = {  # path -> types it takes beside JSON
    re.compile(r"/api/outlines"): ("application/octet-stream",),
    re.compile(r"/api/films/[^/]+/pictures"): ("image/png", "image/jpeg"),
}
HEADERS = {
    "content-security-policy": "default-src 'self'; script-src 'self'; style-src 'self' "
    "'unsafe-inline'; img-src 'self' data: blob:; font-src 'self' data:; media-src 'self' blob:; "
    "worker-src 'self' blob:; connect-src 'self' blob: data:; object-src 'none'; base-uri 'none'; "
    "form-action 'self'; frame-ancestors 'none'",
    "x-content-type-options": "nosniff",
    "x-frame-options": "DENY",
    "referrer-policy": "no-referrer",
    "cross-origin-opener-policy": "same-origin",
    "cross-origin-resource-policy": "same-origin",
}


class Refusal(Exception):
    def __init__(self, status: int, says: str, where: str = "the request", cure: str = "") -> None:
        self.status = status
        text = f"{where}: {says}.{f' {cure}' if cure else ''}"
        self.body = {
            "faults": [{"where": where, "says": says, "cure": cure, "value": "", "text": text}],
            "text": text,
        }


class Door:
    """ASGI middleware. hosts : names under which the server may be called, beside loopback."""

    def __init__(self, app: App, hosts: Collection[str] = (), access: Access | None = None) -> None:
        self.app, self.access = app, access
        self.hosts = {h.lower() for h in (*LOOPBACK, *hosts)}
        self.any_address = bool({"0.0.0.0", "::"} & self.hosts)

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        headers = {k.decode("latin-1").lower(): v.decode("latin-1") for k, v in scope["headers"]}
        try:
            self._check_names(scope, headers)
            if self.access is not None and not self.access.lets_in(scope, headers):
                await self.access.ask(scope, receive, _with_headers(send))
                return
            if scope["method"] in WRITING:
                receive = await self._checked_body(scope, headers, receive)
        except Refusal as refusal:
            await _say_no(send, refusal)
            return
        await self.app(scope, receive, _with_headers(send))

    def _check_names(self, scope: Scope, headers: dict[str, str]) -> None:
        host = headers.get("host", "")
        if not self._ours(host):
            raise Refusal(
                403,
                f"this server is not called '{host[:80]}'",
                "the host",
                "Open it by the address it told when it started.",
            )
        origin = headers.get("origin")
        if origin is not None and urlsplit(origin).netloc.lower() != host.lower():
            raise Refusal(403, "another page may not talk to this server", "the origin")
        if headers.get("sec-fetch-site") == "cross-site" and (
            scope["method"] in WRITING or scope["path"].startswith("/api/")
        ):
            raise Refusal(403, "another page may not talk to this server", "the origin")
        for name in ("raw_path", "query_string"):
            try:
                text = unquote_to_bytes(scope.get(name) or b"").decode("utf-8")
            except UnicodeDecodeError as error:
                raise Refusal(422, "the address is no UTF-8", "the address") from error
            if any((ord(c) < 32 and c not in "\t\n\r") or ord(c) == 127 for c in text):
                raise Refusal(422, "the address holds control characters", "the address")

    def _ours(self, host: str) -> bool:
        name = urlsplit(f"//{host}").hostname if host.isascii() else None
        if name is None:
            return False
        return name in self.hosts or (self.any_address and _is_address(name))

    async def _checked_body(
        self, scope: Scope, headers: dict[str, str], receive: Receive
    ) -> Receive:
        kind = headers.get("content-type", "").partition(";")[0].strip().lower()
        uploads = next((t for p, t in UPLOADS.items() if p.fullmatch(scope["path"])), ())
        length = headers.get("content-length", "0")
        empty = length == "0" and "transfer-encoding" not in headers
        if kind != "application/json" and kind not in uploads and not (empty and not kind):
            wanted = " or ".join(uploads or ("application/json",))
            raise Refusal(
                415,
                f"a body of the type '{kind[:60] or 'none'}' is not taken here",
                "the body",
                f"Send {wanted}.",
            )
        most = LARGEST_UPLOAD if uploads else LARGEST_CASE
        body = b""
        while True:
            message = await receive()
            if message["type"] != "http.request":
                return _replay(message)
            body += message.get("body", b"")
            if len(body) > most:
                raise Refusal(413, f"it is larger than {most / 1e6:.0f} MB", "the body")
            if not message.get("more_body"):
                break
        if body and kind == "application/json":
            try:
                read_plain(body, "the body")
            except CaseError as error:
                refusal = Refusal(422, "")
                refusal.body = {"faults": [f.as_dict() for f in error.faults], "text": str(error)}
                raise refusal from error
        return _replay({"type": "http.request", "body": body, "more_body": False}, receive)


def _is_address(name: str) -> bool:
    return bool(re.fullmatch(r"\d{1,3}(\.\d{1,3}){3}", name)) or ":" in name


def _replay(first: Message, then: Receive | None = None) -> Receive:
    """Hand out a message that was taken, then go on as before."""
    kept = [first]

    async def receive() -> Message:
        if kept:
            return kept.pop()
        return await then() if then is not None else {"type": "http.disconnect"}

    return receive


def _with_headers(send: Send) -> Send:
    async def sending(message: Message) -> None:
        if message["type"] == "http.response.start":
            known = {k.lower() for k, _ in message.get("headers", [])}
            message["headers"] = [
                *message.get("headers", []),
                *((k.encode(), v.encode()) for k, v in HEADERS.items() if k.encode() not in known),
            ]
        await send(message)

    return sending


async def _say_no(send: Send, refusal: Refusal) -> None:
    body = json.dumps(refusal.body).encode()
    sending = _with_headers(send)
    await sending(
        {
            "type": "http.response.start",
            "status": refusal.status,
            "headers": [
                (b"content-type", b"application/json"),
                (b"content-length", str(len(body)).encode()),
            ],
        }
    )
    await sending({"type": "http.response.body", "body": body})
