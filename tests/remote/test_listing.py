"""Which files are in a folder elsewhere, from real servers on loopback; and tables of several of them."""

import os
import threading
from functools import partial
from http.server import SimpleHTTPRequestHandler, ThreadingHTTPServer

import pytest

from neat_delta.base.errors import InvalidInput
from neat_delta.locations import parse_location
from neat_delta.locations.listing import members_of
from neat_delta.reading import read_table
from servers import PASSWORD_TOLD, ftp_server, sftp_server


class _Quiet(SimpleHTTPRequestHandler):
    def log_message(self, *_):
        pass


@pytest.fixture(params=["ftp", "sftp", "http"])
def served(request, tmp_path, monkeypatch):
    """A server of any sort: its address and its folder."""
    for name, value in PASSWORD_TOLD.items():
        monkeypatch.setenv(name, value)
    folder = tmp_path / "served"
    (folder / "out of here").mkdir(parents=True)
    if request.param == "http":
        server = ThreadingHTTPServer(("127.0.0.1", 0), partial(_Quiet, directory=str(folder)))
        threading.Thread(target=server.serve_forever, daemon=True).start()
        yield f"http://127.0.0.1:{server.server_port}", folder
        server.shutdown()
        server.server_close()
        return
    monkeypatch.setenv("NEAT_DELTA_KNOWN_HOSTS", str(tmp_path / "known_hosts"))
    with sftp_server(folder, tmp_path) if request.param == "sftp" else ftp_server(folder) as address:
        yield address, folder


def test_parts_elsewhere_are_one_table_and_the_newest_is_found(served):
    address, folder = served
    place = folder / "out of here"
    for number in (1, 2, 10):
        (place / f"items-{number}.csv").write_text(f"sku,price\nKT-{number},1.50\n")
        os.utime(place / f"items-{number}.csv", (2e9 - number, 2e9 - number))
    (place / ".items-3.csv.part").write_text("half")
    (place / "sub").mkdir()

    table = read_table(parse_location(f"{address}/out%20of%20here/items-*.csv"))
    assert table.cells(["sku"])["sku"].to_list() == ["KT-1", "KT-2", "KT-10"]
    assert [part.name for part in table.parts] == ["items-1.csv", "items-2.csv", "items-10.csv"]
    newest = members_of(parse_location(f"newest:{address}/out%20of%20here/*.csv"))
    assert [member.name for member in newest] == ["items-1.csv"]
    with pytest.raises(InvalidInput, match="no file matches this pattern"):
        members_of(parse_location(f"{address}/out%20of%20here/nothing*.csv"))
    with pytest.raises(InvalidInput, match="nowhere"):
        members_of(parse_location(f"{address}/nowhere/*.csv"))
