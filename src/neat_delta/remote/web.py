"""HTTP and HTTPS, by httpx."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from neat_delta.base.json_form import WrongForm, from_json
from neat_delta.base.redact import keep_hidden
from neat_delta.remote import secrets
from neat_delta.remote.bounds import Meter, within_bounds
from neat_delta.remote.transfer_errors import (
    SILENCE_TIME,
    NotFound,
    TransferError,
    is_permanent,
    plain,
    require_encryption,
    retry,
)

if TYPE_CHECKING:
    from collections.abc import Iterator, Mapping

    import httpx

    from neat_delta.remote.address import Address


PIECE = 1 << 16
LONGEST_MESSAGE = 300
# So often an answer may send on to another address.
MOST_REDIRECTS = 5


@dataclass(frozen=True)
class Answer:
    """A good answer: its bytes, unpacked, and when they were changed last, as its head has it."""

    content: bytes
    modified: str = ""


def fetch(address: Address) -> bytes:
    """The whole of what an address holds.

    Raises:
        TransferError: it cannot be had, or not whole.
    """
    return ask("GET", address, follow=True).content


def ask(
    method: str,
    address: Address,
    *,
    headers: Mapping[str, str] | None = None,
    params: Mapping[str, str] | None = None,
    content: bytes | None = None,
    follow: bool = False,
) -> Answer:
    """A good answer of a machine; silence and faults of its own are met by trying again.

    It is asked with the token or the password that is given for it, and with the one the keyring has if it wants one.

    Raises:
        TransferError: it cannot be reached, or refuses.
    """
    basic = (address.user, secrets.password_of(address.user, address.host) or "") if address.user else None
    token = None if basic else secrets.from_env(secrets.TOKEN, address.host)
    keep_hidden(address.query)

    def asked(token: str | None) -> Answer:
        if address.scheme == "http" and (token or (basic and basic[1])):
            require_encryption(address.host, "a password" if basic else "a token", "https://")
        all_headers = dict(headers or {}) | ({"Authorization": f"Bearer {token}"} if token else {})
        request = _Request(method, address, all_headers, basic, params, content)
        return within_bounds(lambda meter: request.answered(meter, follow=follow))

    try:
        return retry(lambda: asked(token))
    except _NotAllowed:
        token_kept = None if token or basic else secrets.from_keyring("token", address.host)
        if token_kept is None:
            raise
    return retry(lambda: asked(token_kept))


@dataclass(frozen=True)
class _Request:
    """A request, its secrets with it."""

    method: str
    address: Address
    headers: Mapping[str, str]
    basic: tuple[str, str] | None
    params: Mapping[str, str] | None
    content: bytes | None

    def answered(self, meter: Meter, *, follow: bool) -> Answer:
        """The answer; ``follow`` goes on to where it sends us, without any secret if that is another machine.

        Raises:
            TransferError: it cannot be reached, refuses, or sends us where a file must not be fetched from.
        """
        import httpx

        try:
            with httpx.Client(timeout=SILENCE_TIME, follow_redirects=False) as client:
                meter.stop = client.close
                request = client.build_request(
                    self.method,
                    self.address.url,
                    headers=self._headers(),
                    params=self.params,
                    content=self._sent(meter),
                )
                answer = client.send(request, auth=self.basic, stream=True)
                for _ in range(MOST_REDIRECTS if follow else 0):
                    if answer.next_request is None:
                        break
                    onward = _onward(answer.next_request, request)
                    answer.close()
                    answer = client.send(
                        onward, auth=self.basic if _same_origin(onward, request) else None, stream=True
                    )
                return self._whole(answer, meter)
        except (httpx.HTTPError, httpx.InvalidURL, httpx.StreamError, RuntimeError, UnicodeError) as error:
            raise TransferError(plain(error), transient=not is_permanent(error)) from error

    def _headers(self) -> dict[str, str]:
        length = {} if self.content is None else {"Content-Length": str(len(self.content))}
        return {**self.headers, **length}

    def _sent(self, meter: Meter) -> Iterator[bytes] | None:
        """The body in pieces, so that a slow line is seen to move."""
        return None if self.content is None else _pieces(self.content, meter)

    def _whole(self, answer: httpx.Response, meter: Meter) -> Answer:
        """The answer's bytes, counted as they come.

        Raises:
            TransferError: it is no good answer, or too large.
        """
        data = bytearray()
        counted = 0
        for piece in answer.iter_bytes():
            meter.count(answer.num_bytes_downloaded - counted)
            counted = answer.num_bytes_downloaded
            data += piece
            meter.insist_on_unpacked(len(data))
        if answer.status_code < 300:
            return Answer(bytes(data), answer.headers.get("Last-Modified", ""))
        raise _refusal(answer.status_code, bytes(data), self.address)


def _pieces(content: bytes, meter: Meter) -> Iterator[bytes]:
    for start in range(0, len(content), PIECE):
        piece = content[start : start + PIECE]
        yield piece
        meter.sent(len(piece))


def _onward(onward: httpx.Request, before: httpx.Request) -> httpx.Request:
    """The request to the address that an answer sends us to, without secrets if it is another machine's.

    Raises:
        TransferError: the line there would not be encrypted though this one is, or it is no address of the web.
    """
    if onward.url.scheme not in ("http", "https"):
        raise TransferError("the server sends on to what is no address of the web", hint="Ask for the new address.")
    if before.url.scheme == "https" and onward.url.scheme == "http":
        raise TransferError(
            "the server sends on to an address without encryption, so nothing was fetched",
            hint="Ask for an address with https://.",
        )
    if not _same_origin(onward, before):
        for name in ("Authorization", "Cookie"):
            onward.headers.pop(name, None)
    return onward


def _same_origin(one: httpx.Request, other: httpx.Request) -> bool:
    """Whether two requests go to the same machine in the same way (RFC 6454)."""
    origin, others = ((it.url.scheme, it.url.host, it.url.port) for it in (one, other))
    return origin == others


class _NotAllowed(TransferError):
    """Wanted is a secret, or another one."""


def _refusal(status: int, content: bytes, address: Address) -> TransferError:
    if status in (401, 403):
        if address.user:
            hint = secrets.where_to_put(secrets.PASSWORD, address.user, address.host)
            return _NotAllowed("missing or wrong password", hint=hint)
        hint = secrets.where_to_put(secrets.TOKEN, "token", address.host)
        return _NotAllowed("missing or invalid token", hint=hint)
    if status == 404:
        return NotFound("page not found", hint="Check the address.")
    if 300 <= status < 400:
        return TransferError("moved to another address", hint="Ask for the new address.")
    return TransferError(f"the answer is {status} {_message(content)}".strip(), transient=status >= 500)


def _message(content: bytes) -> str:
    """What a machine says of its refusal, if it says it in JSON; no more than fits a line."""
    try:
        return from_json(content, _Message).message[:LONGEST_MESSAGE]
    except WrongForm:
        return ""


@dataclass(frozen=True)
class _Message:
    message: str = ""
