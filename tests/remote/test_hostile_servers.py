"""Servers that mean harm or are broken: nothing they send fills the memory, waits for ever, or takes a secret away."""

import gzip
import socket
import threading
from contextlib import contextmanager, suppress

import pytest
import trustme

from neat_delta.base.errors import DeliveryError, InvalidInput, InvalidOption
from neat_delta.locations import parse_location
from neat_delta.remote import bounds, transfer_errors
from neat_delta.remote.transfer import fetch, put
from servers import answer, status, web_server

DATA = b"sku,price\nA,1.00\n" * 100


@pytest.fixture(autouse=True)
def small(monkeypatch):
    """The limits, small enough for a test."""
    monkeypatch.setattr(transfer_errors, "FIRST_PAUSE", 0.01)
    monkeypatch.setattr(bounds, "MOST_BYTES", 1 << 20)
    monkeypatch.setattr(bounds, "HARMLESS", 1 << 16)
    monkeypatch.setattr(bounds, "LOOK", 0.05)


def endless(handler):
    handler.send_response(200)
    handler.end_headers()
    with suppress(OSError):
        while True:
            handler.wfile.write(b"A,1\n" * 10_000)


def bomb(handler):
    packed = gzip.compress(b"A" * (1 << 23))
    answer(handler, packed, Content_Encoding="gzip")


def trickle(handler):
    with suppress(OSError):
        handler.wfile.write(b"HTTP/1.1 200 OK\r\nX-Slow: ")
        while True:
            handler.wfile.write(b"x")
            handler.wfile.flush()
            threading.Event().wait(0.05)


@pytest.mark.parametrize(("served", "said"), [(endless, "larger than 1 MB"), (bomb, "too large when unpacked")])
def test_an_answer_without_end_is_given_up_within_the_limit(served, said):
    with web_server(served) as (address, asked):
        with pytest.raises(InvalidInput, match=said):
            fetch(parse_location(address))
        assert len(asked) == 1


@pytest.mark.parametrize(("few", "limit"), [(1 << 30, 0.5), (4096, 60.0)])
def test_an_answer_that_trickles_is_given_up(monkeypatch, few, limit):
    """What never falls silent is too slow all the same; what is slow for a moment is not."""
    monkeypatch.setattr(bounds, "FEWEST_BYTES", few)
    monkeypatch.setattr(bounds, "SLOW_TIME", limit)
    if limit < 1:
        with web_server(trickle) as (address, _), pytest.raises(InvalidInput, match="too slow"):
            fetch(parse_location(address))
    with web_server(lambda handler: answer(handler, DATA)) as (address, _):
        assert fetch(parse_location(address)) == DATA


@pytest.mark.parametrize(
    ("target", "said"),
    [
        ("http://localhost:1/x.csv", "sends on to an address without encryption"),
        ("file:///etc/passwd", "no address of the web|moved to another address|unsupported"),
        ("ftp://localhost/x", "no address of the web|moved to another address|unsupported"),
    ],
)
def test_a_redirect_leads_to_no_worse_place(monkeypatch, tmp_path, target, said):
    authority = trustme.CA()
    authority.cert_pem.write_to_path(tmp_path / "ca.pem")
    monkeypatch.setenv("SSL_CERT_FILE", str(tmp_path / "ca.pem"))
    moved, certificate = status(302, Location=target), authority.issue_cert("localhost")
    with web_server(moved, certificate=certificate) as (address, _), pytest.raises(InvalidInput, match=said):
        fetch(parse_location(address))


@pytest.mark.parametrize(("secret", "user"), [("NEAT_DELTA_TOKEN", ""), ("NEAT_DELTA_PASSWORD", "anna@")])
def test_a_redirect_takes_no_secret_to_another_machine(monkeypatch, secret, user):
    monkeypatch.setenv(f"{secret}_127_0_0_1", "honey")
    with (
        web_server(lambda handler: answer(handler, DATA)) as (elsewhere, asked_there),
        web_server(status(302, Location="/moved"), status(302, Location=elsewhere)) as (address, asked_here),
    ):
        assert fetch(parse_location(address.replace("//", f"//{user}"))) == DATA

    assert [bool(asked["Authorization"]) for asked in (*asked_here, *asked_there)] == [True, True, False]


def test_redirects_without_end_are_not_followed():
    with web_server(lambda handler: status(302, Location=handler.path)(handler)) as (address, asked):
        with pytest.raises(InvalidInput, match="moved to another address"):
            fetch(parse_location(address))
        assert len(asked) < 10


@contextmanager
def talking(*replies, size=None):
    """A server that speaks FTP's way, with these replies in place of the usual ones."""
    usual = {b"USER": b"230 in", b"TYPE": b"200 ok", b"CWD": b"250 ok", b"QUIT": b"221 bye", b"SIZE": size or b"213 9"}

    def serve(listening):
        with suppress(OSError):
            while True:
                caller, _ = listening.accept()
                with caller, suppress(OSError):
                    caller.sendall((replies[0] if replies else b"220 ready") + b"\r\n")
                    for line in caller.makefile("rb"):
                        caller.sendall(usual.get(line[:4].strip(), b"500 no") + b"\r\n")

    with socket.create_server(("127.0.0.1", 0)) as listening:
        threading.Thread(target=serve, args=(listening,), daemon=True).start()
        yield f"ftp://127.0.0.1:{listening.getsockname()[1]}/in/live.csv"


@pytest.mark.parametrize(
    ("replies", "size"),
    [([], b"213 many"), ([], b"213 " + b"9" * 5000), ([], b"213 \xff\xfe"), ([b"220 \xff\xfe"], None),
     ([b"999 odd"], None), ([b"\x1b[2J"], None), ([b"220" + b"x" * 9000], None)],
)  # fmt: skip
def test_nonsense_from_a_file_server_is_an_error_with_its_address(replies, size):
    with talking(*replies, size=size) as address:
        with pytest.raises(InvalidInput, match=r"ftp://127\.0\.0\.1.*live\.csv"):
            fetch(parse_location(address))
        with pytest.raises(DeliveryError, match=r"ftp://127\.0\.0\.1"):
            put(parse_location(address), "a.csv", b"x")


@pytest.mark.parametrize("address", ["ftp://h/a%0d%0aDELE%20x", "sftp://h/%1b[2J", "https://h/%00", "ftp://h/\r\nx"])
def test_an_address_has_no_line_end_in_whatever_spelling(address):
    with pytest.raises(InvalidOption, match=r"line ends or invisible|not a valid address"):
        parse_location(address)
