"""The practice shop over plain HTTP: an export to fetch, imports to post, jobs to wait for, result lists.

A small interface of our own, told in openapi.json beside; on the loopback address unless configured otherwise.
"""

from __future__ import annotations

import json
import queue
import re
import sqlite3
import threading
import time
from contextlib import closing
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from importlib.resources import files
from typing import TYPE_CHECKING
from urllib.parse import parse_qs, urlsplit

from neat_delta.practice_shop.shop import DOES, JOBS, open_shop, results_csv

if TYPE_CHECKING:
    from neat_delta.practice_shop.shop import PracticeShop, Result

WAITING, RUNNING, DONE, REJECTED, INTERRUPTED = "waiting", "running", "done", "rejected", "interrupted"
MOST_BYTES = 1 << 30
# Seconds for which a job may be told to wait.
LONGEST_WAIT = 3600.0
SCHEMA = (
    "CREATE TABLE IF NOT EXISTS jobs (job INTEGER PRIMARY KEY AUTOINCREMENT, mark TEXT UNIQUE, "
    "action TEXT, data BLOB, state TEXT, reason TEXT, results TEXT)"
)


class ShopServer(ThreadingHTTPServer):
    """Serves one practice shop; imports wait in a queue and are taken one after another by a thread of their own."""

    daemon_threads = True

    def __init__(self, shop: PracticeShop, port: int, host: str = "127.0.0.1", token: str | None = None) -> None:
        self.shop, self.token = shop, token
        self.queue: queue.Queue[int] = queue.Queue()
        with closing(self.jobs()) as base, base:
            base.execute(SCHEMA)
            for (job,) in base.execute("SELECT job FROM jobs WHERE state IN (?, ?)", (WAITING, RUNNING)).fetchall():
                self.queue.put(job)
        super().__init__((host, port), _Handler)
        threading.Thread(target=self._work, daemon=True).start()

    def handle_error(self, request: object, client_address: object) -> None:
        """Say nothing of lines that were cut: it is their callers who want to know."""

    def jobs(self) -> sqlite3.Connection:
        """A connection to the list of jobs."""
        return sqlite3.connect(self.shop.folder / JOBS, timeout=30)

    def add(self, action: str, data: bytes, mark: str | None) -> int:
        """Put an import into the queue; returns its number. One that comes again under its mark is the same import."""
        job = (mark, action, data, WAITING)
        with closing(self.jobs()) as base, base:
            made = base.execute("INSERT OR IGNORE INTO jobs (mark, action, data, state) VALUES (?, ?, ?, ?)", job)
            if made.rowcount == 0:
                return int(base.execute("SELECT job FROM jobs WHERE mark = ?", (mark,)).fetchone()[0])
        self.queue.put(int(made.lastrowid or 0))
        return int(made.lastrowid or 0)

    def job_status(self, job: int) -> tuple[str, str, list[Result]] | None:
        """State, reason and results of a job; ``None`` if there is none of this number."""
        with closing(self.jobs()) as base:
            row = base.execute("SELECT state, reason, results FROM jobs WHERE job = ?", (job,)).fetchone()
        return (row[0], row[1] or "", json.loads(row[2] or "[]")) if row else None

    def _work(self) -> None:
        while True:
            job = self.queue.get()
            with closing(self.jobs()) as base, base:
                action, data = base.execute("SELECT action, data FROM jobs WHERE job = ?", (job,)).fetchone()
                base.execute("UPDATE jobs SET state = ? WHERE job = ?", (RUNNING, job))
            try:
                # Its ways may have been changed meanwhile.
                shop = open_shop(self.shop.folder)
                time.sleep(min(shop.behaviour.seconds, LONGEST_WAIT))
                taken = shop.import_file(data, action)
                self._finish(job, INTERRUPTED if taken.broken_off else DONE, "", taken.results)
            except Exception as error:  # noqa: BLE001 (whatever one import does, the next ones have their turn)
                self._finish(job, REJECTED, str(error) or type(error).__name__, [])

    def _finish(self, job: int, state: str, reason: str, results: list[Result]) -> None:
        text = json.dumps([answer.as_dict() for answer in results])
        with closing(self.jobs()) as base, base:
            base.execute("UPDATE jobs SET state = ?, reason = ?, results = ? WHERE job = ?", (state, reason, text, job))


class _Handler(BaseHTTPRequestHandler):
    server: ShopServer
    protocol_version = "HTTP/1.1"

    def do_GET(self) -> None:
        path = urlsplit(self.path).path.strip("/").split("/")
        if path == ["openapi.json"]:
            text = files("neat_delta.practice_shop").joinpath("openapi.json").read_bytes()
            self._answer(200, text, "application/json")
        elif not self._known():
            return
        elif path == ["export.csv"]:
            self._answer(200, self.server.shop.export(), "text/csv; charset=utf-8")
        elif path[0] == "imports" and len(path) in (2, 3) and re.fullmatch("[0-9]{1,18}", path[1]):
            self._job(int(path[1]), path[2:])
        else:
            self._say(404, "page not found")

    def do_POST(self) -> None:
        if not self._known():
            return
        address = urlsplit(self.path)
        length = self.headers.get("Content-Length", "")
        action = parse_qs(address.query).get("action", ["change"])[0]
        if address.path.strip("/") != "imports":
            self._say(404, "page not found")
        elif not re.fullmatch("[0-9]{1,18}", length) or int(length) > MOST_BYTES:
            self._say(411, "Content-Length is missing")
        elif action not in DOES:
            self._say(400, f"action must be one of {', '.join(DOES)}")
        else:
            data = self.rfile.read(int(length))
            if len(data) < int(length):
                self.close_connection = True
                return
            self._say(
                202,
                "the import is waiting",
                job=self.server.add(action, data, self.headers.get("Idempotency-Key")),
            )

    def _job(self, job: int, rest: list[str]) -> None:
        status = self.server.job_status(job)
        if status is None:
            self._say(404, "import not found")
            return
        state, reason, results = status
        if rest == ["results.csv"]:
            from neat_delta.practice_shop.shop import Result

            self._answer(200, results_csv([Result(**one) for one in results]), "text/csv; charset=utf-8")  # type: ignore[arg-type]
        elif rest == ["results"]:
            self._answer(200, json.dumps(results).encode(), "application/json")
        else:
            self._say(200, reason, job=job, state=state, rows=len(results))

    def _known(self) -> bool:
        if self.server.token and self.headers.get("Authorization") != f"Bearer {self.server.token}":
            self._say(401, "missing or invalid token")
            return False
        return True

    def _say(self, status: int, message: str, **more: object) -> None:
        self._answer(status, json.dumps({"message": message, **more}).encode(), "application/json")

    def _answer(self, status: int, data: bytes, kind: str) -> None:
        self.send_response(status)
        self.send_header("Content-Type", kind)
        self.send_header("Content-Length", str(len(data)))
        self.end_headers()
        self.wfile.write(data)

    def log_message(self, *_args: object) -> None:
        """Say nothing: the command shows what matters."""
