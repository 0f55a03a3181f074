"""HTTP and HTTPS, by httpx."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from neat_delta.redact import keep_hidden
from neat_delta.remote import secrets
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
    from collections.abc import Mapping

    import httpx

    from neat_delta.remote.address import Address


def fetch(address: Address) -> bytes:
    """The whole of what an address holds.

    Raises:
        Trouble: it cannot be had, or not whole.
    """
    return ask("GET", address, follow=True).content


def ask(
    method: str,
    address: Address,
    *,
    headers: Mapping[str, str] | None = None,
    follow: bool = False,
    **more: Any,
) -> httpx.Response:
    """A good answer of a machine; silence and faults of its own are met by trying again.

    It is asked with the token or the password that is given for it, and with the one the keyring has if it wants one.

    Raises:
        Trouble: it cannot be reached, or refuses.
    """
    basic = (address.user, secrets.password_of(address.user, address.host) or "") if address.user else None
    token = None if basic else secrets.from_env(secrets.TOKEN, address.host)
    keep_hidden(address.query)

    def asked(token: str | None) -> httpx.Response:
        import httpx

        if address.scheme == "http" and (token or (basic and basic[1])):
            require_encryption(address.host, "a password" if basic else "a token", "https://")
        result = dict(headers or {}) | ({"Authorization": f"Bearer {token}"} if token else {})
        try:
            answer = httpx.request(
                method, address.url, headers=result, auth=basic, timeout=SILENCE_TIME, follow_redirects=follow, **more
            )
        except (httpx.HTTPError, httpx.InvalidURL) as error:
            raise TransferError(plain(error), transient=not is_permanent(error)) from error
        if answer.status_code < 300:
            return answer
        raise _refusal(answer, address)

    try:
        return retry(lambda: asked(token))
    except _NotAllowed:
        found = None if token or basic else secrets.from_keyring("token", address.host)
        if found is None:
            raise
    return retry(lambda: asked(found))


class _NotAllowed(TransferError):
    """Wanted is a secret, or another one."""


def _refusal(answer: httpx.Response, address: Address) -> TransferError:
    status = answer.status_code
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
    try:
        message = answer.json().get("message", "")
    except (ValueError, AttributeError):
        message = ""
    return TransferError(f"the answer is {status} {message}".strip(), transient=status >= 500)
