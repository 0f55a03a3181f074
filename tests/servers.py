"""Real servers on loopback, each with a folder of files, for as long as a ``with`` lasts."""

from __future__ import annotations

import asyncio
import gc
import logging
import ssl
import threading
import warnings
from contextlib import contextmanager
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from typing import TYPE_CHECKING

import asyncssh
import trustme
from pyftpdlib.authorizers import DummyAuthorizer
from pyftpdlib.handlers import DTPHandler, FTPHandler, TLS_FTPHandler
from pyftpdlib.servers import FTPServer

logger = logging.getLogger(__name__)

if TYPE_CHECKING:
    from collections.abc import Callable, Iterator
    from pathlib import Path

USER, PASSWORD = "anna", "s3cret-honey"
# What a client is told by its environment.
PASSWORD_TOLD = {"NEAT_DELTA_PASSWORD_127_0_0_1": PASSWORD, "NEAT_DELTA_PASSWORD_LOCALHOST": PASSWORD}


class _Cutting(DTPHandler):
    """Hangs up after the first piece of a file, as often as it is told, and says that all is well."""

    times = 0
    ac_out_buffer_size = 4096

    def handle_write(self) -> None:
        super().handle_write()
        if _Cutting.times and self.tot_bytes_sent:
            _Cutting.times -= 1
            self._resp = ("226 Transfer complete.", logger.debug)
            self.close()


def _serve(server: FTPServer, over: threading.Event) -> None:
    # The thread that waits on the sockets is the one that closes them: from another, it would wait on a closed one.
    while not over.is_set():
        server.serve_forever(timeout=0.05, blocking=False)
    server.close_all()


@contextmanager
def ftp_server(folder: Path, *, tls: Path | None = None, cut: int = 0, most: int | None = None) -> Iterator[str]:
    """An FTP server of a folder; ``tls`` is a folder for its certificate, whose maker is put there as ``ca.pem``.

    It cuts off ``cut`` transfers, and has room for ``most`` bytes.
    """
    users = DummyAuthorizer()
    users.add_user(USER, PASSWORD, str(folder), perm="elradfmwMT")

    class Handler(TLS_FTPHandler if tls else FTPHandler):
        authorizer = users
        auth_failed_timeout = 0
        banner = "ready"

        def ftp_STOR(self, file: str, mode: str = "w") -> object:  # noqa: N802
            if most is not None and most < 1:
                self.respond("452 No room left on the disk.")
                return None
            return super().ftp_STOR(file, mode)

    if tls:
        authority = trustme.CA()
        authority.cert_pem.write_to_path(tls / "ca.pem")
        authority.issue_cert("localhost").private_key_and_cert_chain_pem.write_to_path(tls / "server.pem")
        Handler.certfile = str(tls / "server.pem")
        Handler.tls_control_required = Handler.tls_data_required = True
    elif cut:
        _Cutting.times = cut
        Handler.dtp_handler = _Cutting
        Handler.use_sendfile = False
    server = FTPServer(("127.0.0.1", 0), Handler)
    over = threading.Event()
    serving = threading.Thread(target=_serve, args=(server, over), daemon=True)
    serving.start()
    scheme, host = ("ftps", "localhost") if tls else ("ftp", "127.0.0.1")
    try:
        yield f"{scheme}://{USER}@{host}:{server.address[1]}"
    finally:
        over.set()
        serving.join(5)
        del server
        with warnings.catch_warnings():
            # It leaves sockets open where a client hung up in the middle of a handshake.
            warnings.simplefilter("ignore", ResourceWarning)
            gc.collect()


@contextmanager
def sftp_server(folder: Path, keys: Path) -> Iterator[str]:
    """An SFTP server of a folder; its host key stands in ``known_hosts`` in the folder ``keys``."""
    key = asyncssh.generate_private_key("ssh-ed25519")
    ready = threading.Event()
    found: list[tuple[int, asyncio.AbstractEventLoop, asyncio.Event]] = []

    callers: list[asyncssh.SSHServerConnection] = []

    class Users(asyncssh.SSHServer):
        def connection_made(self, conn: asyncssh.SSHServerConnection) -> None:
            callers.append(conn)

        def begin_auth(self, username: str) -> bool:
            return True

        def password_auth_supported(self) -> bool:
            return True

        def validate_password(self, username: str, password: str) -> bool:
            return (username, password) == (USER, PASSWORD)

    def files(channel: asyncssh.SSHServerChannel) -> asyncssh.SFTPServer:
        return asyncssh.SFTPServer(channel, chroot=str(folder).encode())

    async def serve() -> None:
        server = await asyncssh.listen("127.0.0.1", 0, server_factory=Users, server_host_keys=[key], sftp_factory=files)
        over = asyncio.Event()
        found.append((server.get_port(), asyncio.get_running_loop(), over))
        ready.set()
        await over.wait()
        server.close()
        for caller in callers:
            caller.abort()
            await caller.wait_closed()
        await server.wait_closed()
        await asyncio.sleep(0.05)  # until the last sockets are closed

    serving = threading.Thread(target=asyncio.run, args=(serve(),), daemon=True)
    serving.start()
    assert ready.wait(20)
    port, loop, over = found[0]
    public = key.export_public_key().decode().strip()
    (keys / "known_hosts").write_text(f"[127.0.0.1]:{port} {public}\n")
    try:
        yield f"sftp://{USER}@127.0.0.1:{port}"
    finally:
        loop.call_soon_threadsafe(over.set)
        serving.join(5)


@contextmanager
def web_server(
    *answers: Callable[..., None], certificate: trustme.LeafCert | None = None
) -> Iterator[tuple[str, list]]:
    """An HTTP server that gives these answers in turn, the last one again and again, and keeps what it was asked."""
    asked = []

    class Answering(BaseHTTPRequestHandler):
        def do_GET(self) -> None:
            asked.append(self.headers)
            answers[min(len(asked), len(answers)) - 1](self)

        do_POST = do_GET  # noqa: N815

        def log_message(self, *_: object) -> None:
            pass

    server = ThreadingHTTPServer(("127.0.0.1", 0), Answering)
    if certificate:
        secured = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
        certificate.configure_cert(secured)
        server.socket = secured.wrap_socket(server.socket, server_side=True)
    threading.Thread(target=server.serve_forever, daemon=True).start()
    start = "https://localhost" if certificate else "http://127.0.0.1"
    yield f"{start}:{server.server_port}/export.csv", asked
    server.shutdown()
    server.server_close()


def status(code: int, **headers: str) -> Callable[..., None]:
    """An answer without anything but its status and headers."""

    def answered(handler: BaseHTTPRequestHandler) -> None:
        handler.send_response(code)
        for name, value in headers.items():
            handler.send_header(name, value)
        handler.send_header("Content-Length", "0")
        handler.end_headers()

    return answered


def answer(handler: BaseHTTPRequestHandler, data: bytes, length: int | None = None, **headers: str) -> None:
    """Answer with these bytes, said to be so many."""
    handler.send_response(200)
    for name, value in headers.items():
        handler.send_header(name.replace("_", "-"), value)
    handler.send_header("Content-Length", str(len(data) if length is None else length))
    handler.end_headers()
    handler.wfile.write(data)
