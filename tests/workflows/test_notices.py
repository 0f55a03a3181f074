"""Whoever a run file names is told of each run that concerns them; what cannot be told is named, and loses nothing."""

import configparser
import email
import hashlib
import hmac
import json
import re
import shlex
import socket
import ssl
import subprocess
import threading
import time
from http.server import BaseHTTPRequestHandler, HTTPServer
from pathlib import Path

import pytest
import trustme
from aiosmtpd.controller import Controller
from aiosmtpd.smtp import SMTP, AuthResult

from helpers import PROGRAM, neat_delta, write_table
from neat_delta.base.errors import DeliveryError
from neat_delta.remote import bounds, mail
from neat_delta.remote.mail import MailServer, send_mail

DOCS = Path(__file__).parents[2] / "docs" / "run-files.md"
LIVE = [["sku", "price"], ["KT-1", "10.00"], ["KT-2", "20.00"]]
MAIL = '[mail]\nfrom = "Shop <night@shop.example>"\nto = ["a@shop.example", "b@shop.example"]\n'


@pytest.fixture
def work(tmp_path):
    write_table(tmp_path / "live.csv", LIVE)
    write_table(tmp_path / "edited.csv", [LIVE[0], ["KT-1", "11.00"]])
    return tmp_path


def run(work, text, **environment):
    (work / "night.toml").write_text('live = "live.csv"\nedited = "edited.csv"\n' + text)
    return neat_delta("run", "night.toml", cwd=work, **environment)


class Received:
    """A mail server's letter box; it refuses one address."""

    def __init__(self):
        self.mails = []

    async def handle_RCPT(self, server, session, envelope, address, options):  # noqa: N802
        if address == "nobody@shop.example":
            return "550 no such person"
        envelope.rcpt_tos.append(address)
        return "250 OK"

    async def handle_DATA(self, server, session, envelope):  # noqa: N802
        self.mails.append((envelope.mail_from, list(envelope.rcpt_tos), envelope.content))
        return "250 OK"


@pytest.fixture
def mail_server(tmp_path):
    """A mail server that wants STARTTLS and a password, and the file of the authority that vouches for it."""
    authority = trustme.CA()
    context = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
    authority.issue_cert("localhost").configure_cert(context)
    authority.cert_pem.write_to_path(tmp_path / "ca.pem")

    class Server(Controller):
        def factory(self):
            return SMTP(
                self.handler,
                tls_context=context,
                require_starttls=True,
                auth_required=True,
                authenticator=lambda *words: AuthResult(success=words[-1].password == b"honey", handled=False),
            )

    with socket.socket() as free:
        free.bind(("localhost", 0))
        port = free.getsockname()[1]
    box = Received()
    server = Server(box, hostname="localhost", port=port)
    server.start()
    yield box, port, {"SSL_CERT_FILE": str(tmp_path / "ca.pem"), "NEAT_DELTA_PASSWORD_LOCALHOST": "honey"}
    server.stop()


def test_a_mail_goes_by_starttls_after_the_runs_it_is_wanted_for(work, mail_server):
    box, port, secrets = mail_server
    server = f'server = "localhost"\nport = {port}\nuser = "night"\n'
    quiet = run(work, MAIL + server, **secrets)
    assert (quiet.returncode, box.mails) == (0, [])

    told = run(work, MAIL + server + 'when = ["success"]\n', **secrets)
    assert told.returncode == 0, told.stderr
    [(sender, receivers, content)] = box.mails
    assert (sender, receivers) == ("night@shop.example", ["a@shop.example", "b@shop.example"])
    assert email.message_from_bytes(content)["Subject"] == "night: done, 1 item"
    broken = run(work, "limit = 3\n" + MAIL + server, **secrets)
    assert (broken.returncode, len(box.mails)) == (3, 2)
    assert b"there is no setting" in box.mails[1][2]


@pytest.mark.parametrize(
    ("more", "secret", "said"),
    [
        ('user = "night"\n', "vinegar", "wrong user or password"),
        ('user = "night"\nsecurity = "none"\n', "honey", "AUTH extension not supported"),
        ('security = "tls"\n', "honey", "not sent"),
    ],
)
def test_a_mail_that_is_refused_is_named_and_the_run_stands(work, mail_server, more, secret, said):
    box, port, secrets = mail_server
    text = MAIL + f'server = "localhost"\nport = {port}\nwhen = "success"\n' + more

    done = run(work, text, **(secrets | {"NEAT_DELTA_PASSWORD_LOCALHOST": secret}))

    summary = json.loads((work / "runs/night-latest/summary.json").read_text())
    assert (done.returncode, box.mails) == (1, [])
    assert re.search(said, done.stderr), done.stderr
    assert any("notice not sent: mail" in reason for reason in summary["attention_reasons"])
    assert "vinegar" not in done.stderr + done.stdout


def test_where_one_receiver_is_refused_nobody_gets_half_of_it(work, mail_server):
    box, port, secrets = mail_server
    text = '[mail]\nfrom = "n@shop.example"\nto = ["a@shop.example", "nobody@shop.example"]\nwhen = "success"\n'
    done = run(work, text + f'server = "localhost"\nport = {port}\nuser = "night"\n', **secrets)

    assert (done.returncode, box.mails, "refuses nobody@shop.example" in done.stderr) == (1, [], True)


def test_a_mail_server_that_hangs_is_given_up_and_named(monkeypatch):
    """It takes the line and says a letter now and then, for ever."""
    monkeypatch.setattr(bounds, "SLOW_TIME", 1.5)
    monkeypatch.setattr(mail, "SILENCE_TIME", 1.0)
    with socket.create_server(("127.0.0.1", 0)) as listening:

        def drip():
            line, _ = listening.accept()
            try:
                while True:
                    line.sendall(b"2")
                    time.sleep(0.2)
            except OSError:
                pass

        threading.Thread(target=drip, daemon=True).start()
        begun = time.monotonic()
        with pytest.raises(DeliveryError, match="not sent"):
            send_mail(MailServer("127.0.0.1", listening.getsockname()[1]), b"x", "a@b", ["c@d"])
        assert time.monotonic() - begun < 20


class Hook(BaseHTTPRequestHandler):
    """It fails once, then keeps what is posted."""

    calls: list = []  # noqa: RUF012

    def do_POST(self):
        body = self.rfile.read(int(self.headers["Content-Length"]))
        Hook.calls.append((dict(self.headers), body))
        self.send_response(503 if len(Hook.calls) == 1 else 200)
        self.end_headers()

    def do_GET(self):
        Hook.calls.append((None, self.path))
        self.send_response(200)
        self.end_headers()

    def log_message(self, *words):
        pass


@pytest.fixture
def hook():
    Hook.calls = []
    with HTTPServer(("127.0.0.1", 0), Hook) as server:
        threading.Thread(target=server.serve_forever, daemon=True).start()
        yield f"http://127.0.0.1:{server.server_port}"
        server.shutdown()


def test_a_webhook_gets_the_summary_signed_and_again_if_the_server_has_a_fault(work, hook):
    secret = "a webhook's secret"
    text = f'heartbeat = "{hook}/alive"\n[webhook]\naddress = "{hook}/run"\nwhen = ["success"]\n'
    done = run(work, text, NEAT_DELTA_WEBHOOK_SECRET=secret)

    assert done.returncode == 0, done.stderr
    (_, first), (head, second), (_, beat) = Hook.calls
    assert first == second
    assert json.loads(second)["verdict"] == "done"
    signed = hmac.new(secret.encode(), second, hashlib.sha256).hexdigest()
    assert head["X-Neat-Delta-Signature"] == f"sha256={signed}"
    assert beat == "/alive"
    assert secret not in done.stdout + done.stderr + (work / "runs/night-latest/summary.json").read_text()


def test_metrics_and_heartbeat_say_how_the_last_run_went(work):
    text = 'heartbeat = "alive.txt"\nmetrics = "night.prom"\n'
    assert run(work, text).returncode == 0
    good = (work / "night.prom").read_text()
    beat = (work / "alive.txt").read_text()
    (work / "live.csv").unlink()
    (work / "alive.txt").unlink()
    assert run(work, text).returncode == 3
    bad = (work / "night.prom").read_text()

    assert 'neat_delta_run_cells{run="night"} 1\n' in good
    assert 'neat_delta_run_items{run="night",action="change"} 1\n' in good
    assert 'neat_delta_run_exit_code{run="night"} 3\n' in bad
    assert all(text.endswith("# EOF\n") for text in (good, bad))
    for line in good.splitlines():
        assert re.fullmatch(r"# (TYPE|HELP) .+|# EOF|neat_delta_run_[a-z_]+\{[^}]*\} [0-9.e+-]+", line)
    assert beat.endswith(" done\n")
    assert not (work / "alive.txt").exists()


def test_old_folders_go_and_those_stay_that_are_needed(work):
    runs = work / "runs"
    for name in ("night-2020-01-01T000000Z", "night-2020-01-02T000000Z", "other-2020-01-01T000000Z"):
        (runs / name).mkdir(parents=True)
    (runs / "night-2020-01-02T000000Z" / "waiting-for-approval.txt").touch()

    assert run(work, "keep_days = 30\n").returncode == 0

    kept = {path.name for path in runs.iterdir() if path.is_dir()}
    assert "night-2020-01-01T000000Z" not in kept
    assert kept >= {"night-2020-01-02T000000Z", "other-2020-01-01T000000Z", "night-latest"}


def documented(kind):
    """A block of the page on run files, as it stands."""
    [block] = re.findall(rf"```{kind}\n(.*?)```", DOCS.read_text("utf-8"), re.DOTALL)[:1]
    return block


@pytest.fixture
def server_folder(work):
    """The folder of the documented lines, with the program in its place, and a sendmail that keeps what it gets."""
    (work / ".venv/bin").mkdir(parents=True)
    (work / ".venv/bin/neat-delta").symlink_to(PROGRAM)
    (work / "bin").mkdir()
    (work / "bin/sendmail").write_text(f'#!/bin/sh\ncat > "{work}/mailed-$$.eml"\n')
    (work / "bin/sendmail").chmod(0o755)
    return work


def cron(folder):
    line = next(text for text in documented("cron").splitlines() if "neat-delta run" in text)
    command = line.split(maxsplit=5)[5].replace("/srv/shop", str(folder))
    path = f"{folder}/bin:/usr/bin:/bin"
    return subprocess.run(
        ["sh", "-c", command], env={"PATH": path, "HOME": str(folder)}, capture_output=True, text=True, check=False
    )


def mailed(folder):
    return [email.message_from_bytes(path.read_bytes())["Subject"] for path in folder.glob("mailed-*.eml")]


def test_the_documented_line_of_a_crontab_mails_what_needs_attention_and_nothing_old(server_folder):
    good = 'live = "live.csv"\nedited = "edited.csv"\n' + MAIL
    (server_folder / "nightly.toml").write_text(good + "[limits]\nchanged = 0\n")
    cron(server_folder)
    assert mailed(server_folder) == ["nightly: needs attention, 1 item"]
    (server_folder / "nightly.toml").write_text("limit = 0\n" + good)
    broken = cron(server_folder)
    assert "there is no setting 'limit'" in broken.stderr  # (which cron mails)
    assert len(mailed(server_folder)) == 1
    latest = server_folder / "runs/nightly-latest"
    assert email.message_from_bytes((latest / "summary.eml").read_bytes())["Subject"] == "nightly: failed"
    (server_folder / "nightly.toml").write_text("live = \n")
    cron(server_folder)
    assert not (latest / "summary.eml").exists()
    (server_folder / "nightly.toml").write_text(good)
    quiet = cron(server_folder)

    assert (quiet.stdout, quiet.stderr, len(mailed(server_folder))) == ("", "", 1)


def test_the_documented_service_of_systemd_runs_as_it_stands(server_folder):
    unit = configparser.ConfigParser(interpolation=None)
    unit.optionxform = str
    unit.read_string(documented("ini"))
    service = {key: value.replace("/srv/shop", str(server_folder)) for key, value in unit["Service"].items()}
    (server_folder / "nightly.toml").write_text('live = "live.csv"\nedited = "edited.csv"\n')

    done = subprocess.run(
        shlex.split(service["ExecStart"]), cwd=service["WorkingDirectory"], capture_output=True, text=True, check=False
    )

    assert (done.returncode, done.stdout, done.stderr) == (0, "", "")
    assert service["Type"] == "oneshot"


def test_where_no_summary_can_be_written_nothing_is_begun_and_no_other_error_is_hidden(work):
    (work / "runs").mkdir()
    (work / "runs" / "night-latest").mkdir()
    (work / "runs" / "night-latest" / "summary.json").mkdir()  # (a folder where the file should be)
    (work / "inbox").mkdir()
    done = run(work, 'to = "inbox"\nhistory = "h.sqlite"\n')
    wrong = run(work, "limit = 3\n")

    assert (done.returncode, (work / "inbox" / "01-changes.csv").is_file()) == (3, False)
    assert "summary.json" in done.stderr
    assert (wrong.returncode, "there is no setting 'limit'" in wrong.stderr) == (3, True)
