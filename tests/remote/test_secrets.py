"""A secret belongs to one machine, goes over no line that others can read, and is shown nowhere."""

import json
import threading
from contextlib import contextmanager
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer

import pytest
from hypothesis import given
from hypothesis import strategies as st

from helpers import files_in, neat_delta, write_table
from neat_delta.base.errors import DeliveryError, InvalidInput, InvalidOption
from neat_delta.locations import parse_location
from neat_delta.remote.secrets import TOKEN, may_go_unencrypted, variable
from neat_delta.remote.transfer import fetch

PASSWORDS = ["pa/ss", "12/34", "pa#ss", "pa?ss", "p@ss", "pa:ss", "honeypot", "[pass", "pa ss", "8080/x?y#z"]


@pytest.mark.parametrize("password", PASSWORDS)
@pytest.mark.parametrize("address", ["ftp://anna:{}@files.example/in", "https://anna:{}@shop.example:8443/x.csv"])
def test_an_address_with_a_password_is_refused_without_it(address, password):
    with pytest.raises(
        InvalidOption, match="never write a password into an address: others can see it, and it is written into logs"
    ) as refused:
        parse_location(address.format(password))

    assert password not in str(refused.value)
    assert all(part not in str(refused.value) for part in password.split("/") if len(part) > 2)


@pytest.mark.parametrize(
    "address", ["https://h/p@x.csv", "https://anna@h/x", "http://[::1]:8017/x", "http://[::1]/a@b"]
)
def test_an_address_without_one_is_taken(address):
    assert str(parse_location(address)) == address


@pytest.mark.parametrize("password", PASSWORDS)
@pytest.mark.parametrize(
    "line",
    ['to = "ftp://anna:{}@files.example/in"', 'live = "ftp://anna:{}@files.example/in"', 'to = ["ftp://anna:{}@h/in"]',
     'pack = "ftp://anna:{}@h/in"', '"ftp://anna:{}@h/in" = 1'],
)  # fmt: skip
def test_a_runs_file_with_a_password_is_refused_without_it(tmp_path, line, password):
    lines = ['live = "live.csv"', 'edited = "edited.csv"', line.format(f"longsecret{password}")]
    lines = lines[1:] if line.startswith("live") else lines
    (tmp_path / "run.toml").write_text("\n".join(lines))

    done = neat_delta("run", "run.toml", cwd=tmp_path)

    assert done.returncode == 3
    assert "longsecret" not in done.stdout + done.stderr
    assert password not in done.stdout + done.stderr


labels = st.from_regex(r"[a-z0-9]([a-z0-9_-]{0,4}[a-z0-9])?", fullmatch=True)
hosts = st.one_of(st.lists(labels, min_size=1, max_size=3).map(".".join), st.ip_addresses().map(str))


@given(hosts, hosts)
def test_no_two_machines_share_a_variable(one, other):
    assert (variable(TOKEN, one) == variable(TOKEN, other)) == (one == other)


@pytest.mark.parametrize(
    ("host", "name"),
    [("shop.example", "SHOP_EXAMPLE"), ("my-shop.example", "MY__SHOP_EXAMPLE"), ("127.0.0.1", "127_0_0_1")],
)
def test_variables_are_named_so_that_people_can_guess_them(host, name):
    assert variable(TOKEN, host) == f"NEAT_DELTA_TOKEN_{name}"


@contextmanager
def repeating():
    """A server that refuses, and repeats in its answer all it was told; what it was told."""
    told = []

    class Handler(BaseHTTPRequestHandler):
        def do_GET(self):
            told.append(self.headers.get("Authorization"))
            self.send_response(400)
            self.end_headers()
            self.wfile.write(json.dumps({"message": f"bad {self.headers.get('Authorization')} {self.path}"}).encode())

        def do_POST(self):
            self.rfile.read(int(self.headers["Content-Length"]))
            self.do_GET()

        def log_message(self, *_):
            pass

    server = ThreadingHTTPServer(("127.0.0.1", 0), Handler)
    threading.Thread(target=server.serve_forever, daemon=True).start()
    yield f"http://127.0.0.1:{server.server_port}", told
    server.shutdown()
    server.server_close()


@pytest.fixture
def work(tmp_path):
    write_table(tmp_path / "live.csv", [["sku", "price"], ["A", "1.00"]])
    write_table(tmp_path / "edited.csv", [["sku", "price"], ["A", "1.10"]])
    neat_delta("compare", "live.csv", "edited.csv", "--write", "up", cwd=tmp_path)
    return tmp_path


def test_a_server_that_repeats_the_token_shows_it_nowhere(work):
    with repeating() as (address, told):
        run = f'live = "live.csv"\nedited = "edited.csv"\nto = "{address}"\n'
        (work / "run.toml").write_text(run)
        secret = {"NEAT_DELTA_TOKEN_127_0_0_1": "very-secret-honey\n"}
        sent = neat_delta("send", "up", "--to", address, cwd=work, **secret)
        looked = neat_delta("inspect", f"{address}/x.csv?key=other-secret-honey", cwd=work, **secret)
        ran = neat_delta("run", "run.toml", cwd=work, **secret)

    assert told == ["Bearer very-secret-honey"] * 3
    assert (sent.returncode, looked.returncode) == (4, 4)
    assert "secret-honey" not in "".join(done.stdout + done.stderr for done in (sent, looked, ran))
    assert not [name for name, data in files_in(work).items() if b"secret-honey" in data]


def test_a_token_of_nobody_goes_to_nobody(work):
    with repeating() as (address, told):
        neat_delta("send", "up", "--to", address, cwd=work, NEAT_DELTA_TOKEN="honey")

    assert told == [None]


@pytest.mark.parametrize("secret", ["ho\nney", "ho\x7fney", "h\x1b[8mney"])
def test_a_secret_that_can_be_none_is_told_by_its_place_alone(monkeypatch, secret):
    monkeypatch.setenv("NEAT_DELTA_TOKEN_LOCALHOST", secret)

    with pytest.raises(DeliveryError, match="the variable NEAT_DELTA_TOKEN_LOCALHOST has a line end") as refused:
        fetch(parse_location("http://localhost:1/x.csv"))
    assert "ney" not in str(refused.value)


@pytest.mark.parametrize("address", ["http://shop.example/x.csv", "ftp://anna@shop.example/x.csv"])
def test_no_secret_goes_over_a_line_that_others_can_read(monkeypatch, address):
    def never(*_args, **_options):
        raise AssertionError

    monkeypatch.setattr("httpx.Client.send", never)
    monkeypatch.setattr("ftplib.FTP.login", never)
    monkeypatch.setattr("ftplib.FTP.connect", never)
    monkeypatch.setenv("NEAT_DELTA_TOKEN_SHOP_EXAMPLE", "honey")
    monkeypatch.setenv("NEAT_DELTA_PASSWORD_SHOP_EXAMPLE", "honey")

    with pytest.raises(InvalidInput, match=r"without encryption.*NEAT_DELTA_UNENCRYPTED"):
        fetch(parse_location(address))
    with pytest.raises(DeliveryError, match=r"NEAT_DELTA_TOKEN_A__B"):
        monkeypatch.setenv("NEAT_DELTA_TOKEN_A__B", "x\ny")
        fetch(parse_location("https://a-b/x"))

    monkeypatch.setenv("NEAT_DELTA_UNENCRYPTED", "files.lan, shop.example")
    with pytest.raises(AssertionError):
        fetch(parse_location(address))


@pytest.mark.parametrize(
    ("host", "allowed"),
    [("localhost", True), ("127.0.0.1", True), ("127.8.9.1", True), ("::1", True), ("127.0.0.1.evil.example", False),
     ("localhost.evil.example", False), ("10.0.0.1", False), ("0.0.0.0", False)],
)  # fmt: skip
def test_this_machine_is_what_loops_back_and_nothing_else(host, allowed):
    assert may_go_unencrypted(host) is allowed
