"""Object stores and WebDAV: a stand-in of S3's interface and a real WebDAV server on loopback."""

import threading
import uuid
from contextlib import contextmanager

import pytest

from helpers import neat_delta, write_table
from neat_delta.base.errors import DeliveryError, InvalidInput, NotInstalled
from neat_delta.delivery.destinations import destination_of
from neat_delta.locations import parse_location, parse_place
from neat_delta.locations.listing import members_of
from neat_delta.remote import transfer_errors
from neat_delta.remote.transfer import fetch, fetch_if_any, put, rename

boto3 = pytest.importorskip("boto3", reason="no S3 stand-in: pip install '.[test]'")
pytestmark = pytest.mark.filterwarnings("ignore")  # (of libraries that the servers are built on)
DATA = bytes(range(256)) * 9_000
ROWS = [["sku", "name", "price"], *([f"KT-{n}", "Käfig", f"{n}.50"] for n in range(1, 9))]


@contextmanager
def s3(monkeypatch):
    from moto.server import ThreadedMotoServer

    server = ThreadedMotoServer(ip_address="127.0.0.1", port=0)
    server.start()
    host, port = server.get_host_and_port()
    for name, value in (
        ("AWS_ENDPOINT_URL", f"http://{host}:{port}"), ("AWS_ACCESS_KEY_ID", "anna"),
        ("AWS_SECRET_ACCESS_KEY", "sec-honey"), ("AWS_DEFAULT_REGION", "us-east-1"),
    ):  # fmt: skip
        monkeypatch.setenv(name, value)
    bucket = f"shop-{uuid.uuid4()}"  # (the stand-in remembers earlier ones)
    boto3.client("s3").create_bucket(Bucket=bucket)
    try:
        yield f"s3://{bucket}/in"
    finally:
        server.stop()


@contextmanager
def webdav(monkeypatch, folder):
    from cheroot.wsgi import Server
    from wsgidav.wsgidav_app import WsgiDAVApp

    (folder / "in").mkdir(parents=True)
    users = {"*": {"anna": {"password": "sec-honey"}}}
    app = WsgiDAVApp(
        {
            "provider_mapping": {"/": str(folder)},
            "simple_dc": {"user_mapping": users},
            "verbose": 0,
            "logging": {"enable": False},
        }
    )
    server = Server(("127.0.0.1", 0), app)
    server.prepare()
    serving = threading.Thread(target=server.serve, daemon=True)
    serving.start()
    monkeypatch.setenv("NEAT_DELTA_PASSWORD_127_0_0_1", "sec-honey")
    try:
        yield f"webdav://anna@127.0.0.1:{server.bind_addr[1]}/in"
    finally:
        server.stop()
        serving.join(5)


@pytest.fixture(params=["s3", "webdav"])
def store(request, monkeypatch, tmp_path):
    """The address of a folder in a store."""
    monkeypatch.setattr(transfer_errors, "FIRST_PAUSE", 0.01)
    with s3(monkeypatch) if request.param == "s3" else webdav(monkeypatch, tmp_path / "served") as address:
        yield address


def test_files_are_put_fetched_and_renamed_whole(store):
    folder = parse_place(store)
    put(folder, "a b.csv", DATA)
    put(folder, "a b.csv", DATA[::-1])
    assert fetch(parse_place(f"{store}/a%20b.csv")) == DATA[::-1]
    rename(folder, "a b.csv", "c.csv")
    rename(folder, "a b.csv", "c.csv")  # (it is not there any more)
    assert fetch_if_any(parse_place(f"{store}/a%20b.csv")) is None
    assert fetch(parse_place(f"{store}/c.csv")) == DATA[::-1]


def test_what_is_not_there_is_named(store):
    with pytest.raises(InvalidInput, match=r"nothing\.csv: file not found"):
        fetch(parse_place(f"{store}/nothing.csv"))
    nowhere = "s3://nowhere-at-all/in" if store.startswith("s3") else store.replace("/in", "/nowhere")
    with pytest.raises(DeliveryError, match="folder not found"):
        put(parse_place(nowhere), "x.csv", DATA)


def test_parts_in_a_store_are_one_table_and_the_newest_is_found(store):
    folder = parse_place(store)
    for name in ("kelp-2026-11-27.csv", "kelp-2026-11-28.csv"):
        put(folder, name, b"sku,price\n" + name[-6:-4].encode() + b",1.50\n")
    assert [member.name for member in members_of(parse_location(f"{store}/*.csv"))] == [
        "kelp-2026-11-27.csv", "kelp-2026-11-28.csv",
    ]  # fmt: skip
    assert [member.name for member in members_of(parse_location(f"newest:{store}/"))] == ["kelp-2026-11-28.csv"]


def test_an_export_is_compared_and_an_update_sent_by_the_program(store, tmp_path):
    write_table(tmp_path / "live.csv", ROWS)
    put(parse_place(store), "live.csv", (tmp_path / "live.csv").read_bytes())
    write_table(tmp_path / "edited.csv", [*ROWS[:3], ["KT-3", "Käfig", "3.60"], *ROWS[4:]])
    made = neat_delta("compare", f"{store}/live.csv", "edited.csv", "--write", "up", cwd=tmp_path)
    assert "proved" in made.stdout, made.stdout + made.stderr
    for _ in range(2):
        sent = neat_delta("send", "up", "--to", store, "-y", "--as-of", "2026-11-29", cwd=tmp_path)
    assert (sent.returncode, "already sent" in sent.stderr) == (4, True), sent.stderr
    [name] = [path.name for path in (tmp_path / "up").glob("01*.csv")]
    assert fetch(parse_place(f"{store}/{name}")) == (tmp_path / "up" / name).read_bytes()
    assert [member.name for member in members_of(parse_location(f"{store}/*"))] == [name, "live.csv"]
    with pytest.raises(DeliveryError, match="another file with this name"):
        destination_of(parse_place(store)).upload(name, b"other", "mark")


def test_a_wrong_password_is_named_and_never_shown(tmp_path, monkeypatch):
    with webdav(monkeypatch, tmp_path / "served") as store:
        monkeypatch.setenv("NEAT_DELTA_PASSWORD_127_0_0_1", "wrong-honey")
        with pytest.raises(InvalidInput, match=r"missing or wrong password.*NEAT_DELTA_PASSWORD_127_0_0_1") as error:
            fetch(parse_place(f"{store}/x.csv"))
        assert "honey" not in str(error.value)


def test_a_silent_store_is_given_up(tmp_path, monkeypatch):
    monkeypatch.setattr(transfer_errors, "FIRST_PAUSE", 0.01)
    with s3(monkeypatch):
        pass
    with pytest.raises(InvalidInput, match=r"s3://shop/x\.csv"):
        fetch(parse_place("s3://shop/x.csv"))


def test_a_package_that_is_missing_is_named_with_what_installs_it(monkeypatch):
    monkeypatch.setitem(__import__("sys").modules, "s3fs", None)
    with pytest.raises(NotInstalled, match=r"neat-delta\[s3\]"):
        fetch(parse_place("s3://shop/x.csv"))
