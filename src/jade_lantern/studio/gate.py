"""What every request passes first, whatever it asks for.

The application has no accounts: whoever reaches it may do everything. So it must be certain that
it is reached by this machine's own pages and programs only, and not by another site's page through
a person's browser:

- the Host header must be a name that it is served under, on every request, files included; this
  keeps out names that were pointed at this machine (DNS rebinding);
- where it listens beyond this machine, a key that was printed with its link must come with every
  request (in a header, or in the cookie that opening the link sets);
- what a browser says of where a request comes from (Origin, Sec-Fetch-Site) must be this site;
- a change must be JSON, or carry a header of our own: a page elsewhere cannot send either without
  asking first, and is never allowed.

Bodies are read here, up to a limit and within a time, before any thread is held for them; and who
does not fetch an answer does not hold one for ever.
"""

from __future__ import annotations

import asyncio
import base64
import hashlib
import hmac
import json
from collections.abc import Awaitable, Callable, MutableMapping
from contextlib import suppress
from tempfile import SpooledTemporaryFile
from typing import IO, Any
from urllib.parse import parse_qs, quote, urlsplit

from django.conf import settings
from django.http.request import split_domain_port, validate_host

from .trouble import in_words

Scope = MutableMapping[str, Any]
Message = MutableMapping[str, Any]
Receive = Callable[[], Awaitable[Message]]
Send = Callable[[Message], Awaitable[None]]
App = Callable[[Scope, Receive, Send], Awaitable[None]]

OUR_HEADER = b"x-jade-lantern"
KEY_HEADER, KEY_COOKIE = b"x-jade-lantern-key", "jade-lantern-key"
SAFE = {"GET", "HEAD", "OPTIONS"}
LONGEST_JSON = 16 << 20
IN_MEMORY = 1 << 20
PIECE = 1 << 18

# The dividers between the views put one style sheet into the page while they are dragged, for the
# pointer's shape. These, and no others, are let in, by their hashes.
CURSORS = ("ew-resize", "ns-resize", "e-resize", "w-resize", "n-resize", "s-resize")
SHEETS = ["", *(f"*{{cursor: {cursor}!important;}}" for cursor in CURSORS)]
STYLES = " ".join(
    f"'sha256-{base64.b64encode(hashlib.sha256(s.encode()).digest()).decode()}'" for s in SHEETS
)
POLICY = "; ".join(
    (
        "default-src 'self'", "img-src 'self' blob: data:", "font-src 'self' data:",
        f"style-src 'self' {STYLES}", "style-src-attr 'unsafe-inline'", "object-src 'none'",
        "base-uri 'none'", "form-action 'self'", "frame-ancestors 'none'",
    )
)  # fmt: skip
HEADERS = [
    (b"content-security-policy", POLICY.encode()),
    (b"x-content-type-options", b"nosniff"),
    (b"x-frame-options", b"DENY"),
    (b"referrer-policy", b"same-origin"),
    (b"cross-origin-opener-policy", b"same-origin"),
    (b"cross-origin-resource-policy", b"same-origin"),
]


class Refused(Exception):
    def __init__(self, status: int, message: str) -> None:
        super().__init__(message)
        self.status, self.message = status, message


class Gate:
    """The application behind its gate. idle_s: how long a body or the reader of an answer may
    stand still; whole_s: how long a body may take in all."""

    def __init__(self, inside: App, idle_s: float = 20.0, whole_s: float = 900.0) -> None:
        self._inside, self._idle_s, self._whole_s = inside, idle_s, whole_s

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self._inside(scope, receive, send)
            return
        out = _Answer(send, self._idle_s)
        try:
            _check(scope)
            if settings.KEY and not _has_key(scope):
                if not _key_in_link(scope):
                    raise Refused(401, "This needs its key: open the link that `serve` printed.")
                await out.let_in(scope["path"])
                return
            if scope["method"] in SAFE:
                await self._inside(scope, receive, out)
            else:
                with await self._body(scope, receive) as body:
                    await self._inside(scope, _from(body, receive), out)
        except Refused as error:
            await out.say(error.status, error.message)
        except (OSError, MemoryError) as error:
            await out.say(*in_words(error))
        if out.stalled:
            raise ConnectionError("the reader of this answer stood still")

    async def _body(self, scope: Scope, receive: Receive) -> SpooledTemporaryFile[bytes]:
        """The whole body, beyond a megabyte on disk. Raises Refused where it is too much."""
        headers = dict(scope["headers"])
        upload = headers.get(b"content-type", b"").startswith(b"multipart/form-data")
        most = settings.MOST_UPLOAD_BYTES if upload else LONGEST_JSON
        said = headers.get(b"content-length", b"0")
        if not said.isdigit() or int(said) > most:
            raise _too_much(most)
        folder = settings.FILE_UPLOAD_TEMP_DIR
        folder.mkdir(parents=True, exist_ok=True)
        body = SpooledTemporaryFile(max_size=IN_MEMORY, dir=str(folder))  # noqa: SIM115 -- handed on
        length = 0
        try:
            async with asyncio.timeout(self._whole_s):
                more = True
                while more:
                    part = await asyncio.wait_for(receive(), self._idle_s)
                    if part["type"] != "http.request":
                        raise Refused(400, "The request was cut short. Nothing was kept.")
                    piece = part.get("body", b"")
                    length += len(piece)
                    if length > most:
                        raise _too_much(most)
                    if length > IN_MEMORY:
                        await asyncio.to_thread(body.write, piece)
                    else:
                        body.write(piece)
                    more = part.get("more_body", False)
        except TimeoutError as error:
            body.close()
            raise Refused(408, "The request took too long to arrive. Nothing was kept.") from error
        except BaseException:
            body.close()
            raise
        body.seek(0)
        return body


def _too_much(most: int) -> Refused:
    return Refused(413, f"More than the {most >> 20:,} MB that are taken. Nothing was kept.")


def _check(scope: Scope) -> None:
    """Raises Refused where a request does not come from this application's own pages, or from a
    program on this machine."""
    headers: dict[bytes, list[bytes]] = {}
    for name, value in scope["headers"]:
        headers.setdefault(name, []).append(value)
    hosts = headers.get(b"host", [])
    host = hosts[0].decode("latin-1") if len(hosts) == 1 else ""
    if not validate_host(split_domain_port(host)[0], settings.ALLOWED_HOSTS):
        raise Refused(400, "This is not served under that name. See JADE_LANTERN_HOSTS.")
    if not scope["query_string"].isascii():
        raise Refused(400, "This address cannot be read.")
    site = headers.get(b"sec-fetch-site", [b"none"])[0]
    ours = site in (b"same-origin", b"none")
    safe = scope["method"] in SAFE
    if not ours and (not safe or scope["path"].startswith("/api/")):
        raise Refused(403, "This was asked for by another site's page.")
    if safe:
        return
    for origin in headers.get(b"origin", []):
        with suppress(ValueError):
            if urlsplit(origin.decode("latin-1")).netloc == host:
                continue
        raise Refused(403, "This change came from another site.")
    json_body = headers.get(b"content-type", [b""])[0].startswith(b"application/json")
    if not json_body and OUR_HEADER not in headers:
        raise Refused(403, "A change must be JSON, or carry the header X-Jade-Lantern.")


def _is_key(given: str) -> bool:
    return hmac.compare_digest(given.encode("utf-8", "replace"), settings.KEY.encode())


def _has_key(scope: Scope) -> bool:
    for name, value in scope["headers"]:
        text = value.decode("latin-1")
        if name == KEY_HEADER and _is_key(text):
            return True
        if name == b"cookie":
            cookies = (part.strip().partition("=") for part in text.split(";"))
            if any(called == KEY_COOKIE and _is_key(given) for called, _, given in cookies):
                return True
    return False


def _key_in_link(scope: Scope) -> bool:
    asked = parse_qs(scope["query_string"].decode("ascii"))
    page = scope["method"] == "GET" and not scope["path"].startswith("/api/")
    return page and any(_is_key(given) for given in asked.get("key", ()))


class _Answer:
    """An answer on its way out, with the headers that every one has."""

    def __init__(self, send: Send, idle_s: float) -> None:
        self._send, self._idle_s = send, idle_s
        self.started = self.stalled = False

    async def __call__(self, message: Message) -> None:
        if self.stalled:
            return
        if message["type"] == "http.response.start":
            self.started = True
            message = {**message, "headers": [*message.get("headers", []), *HEADERS]}
        try:
            await asyncio.wait_for(self._send(message), self._idle_s)
        except TimeoutError:
            # What is left is thrown away, so that the thread that makes it is free again.
            self.stalled = True

    async def let_in(self, path: str) -> None:
        """Send a browser that came with the key in its link on to the page, with a cookie."""
        # two strokes at the beginning would lead to another site
        to = "/" + path.lstrip("/\\")
        cookie = f"{KEY_COOKIE}={settings.KEY}; Path=/; HttpOnly; SameSite=Lax"
        headers = [
            (b"location", quote(to).encode()), (b"set-cookie", cookie.encode()),
            (b"cache-control", b"no-store"), (b"content-length", b"0"),
        ]  # fmt: skip
        await self({"type": "http.response.start", "status": 303, "headers": headers})
        await self({"type": "http.response.body", "body": b""})

    async def say(self, status: int, words: str) -> None:
        if self.started:
            return
        body = json.dumps({"message": words}).encode()
        headers = [
            (b"content-type", b"application/json"), (b"content-length", str(len(body)).encode()),
            (b"connection", b"close"),
        ]  # fmt: skip
        await self({"type": "http.response.start", "status": status, "headers": headers})
        await self({"type": "http.response.body", "body": body})


def _from(body: IO[bytes], receive: Receive) -> Receive:
    """Let a body that has been read be read once more, in pieces."""
    done = False

    async def again() -> Message:
        nonlocal done
        if done:
            return await receive()
        piece = body.read(PIECE)
        done = len(piece) < PIECE
        return {"type": "http.request", "body": piece, "more_body": not done}

    return again
