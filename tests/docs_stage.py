"""What the pages of the docs presume: the demo's files and those a reader would have by then, and servers to talk to.

A ``Stage`` runs the command lines of a page one after another in a copy of that folder. Outside addresses become
servers of this machine: the shop is the practice shop, the file servers are real ones. What a person does between two
commands is done as well: rows are marked in a workbook, decisions are saved in a page.
"""

from __future__ import annotations

import csv
import json
import os
import re
import shlex
import shutil
import sqlite3
import subprocess
import threading
from contextlib import ExitStack, closing
from hashlib import sha256
from typing import TYPE_CHECKING

import asyncssh
import openpyxl

from helpers import PROGRAM, neat_delta
from neat_delta.practice_shop import open_shop
from neat_delta.practice_shop.server import ShopServer
from servers import PASSWORD_TOLD, ftp_server, sftp_server

if TYPE_CHECKING:
    from collections.abc import Callable
    from pathlib import Path

# Options that name what is written.
WRITTEN = (
    "-o",
    "--out",
    "--write",
    "--page",
    "--problems",
    "--charts",
    "--quotes-csv",
    "--import-report",
    "--conflicts",
)
SUPPLIER = (
    'compare live.csv pellimoor.csv --map "Our no.=supplier_code" --match-on supplier_code '
    '--map "Dealer net=cost" --set "price = ending(file.cost * 1.95, .95)" --save-profile pellimoor '
    "-o supplier.changes.jsonl"
)
# Marks that a person types into the last column of a workbook, by the option that made it.
MARKS = {"--review": "accept", "--conflicts": "anna.xlsx"}


def furnish(folder: Path) -> None:
    """Make the files that pages presume."""

    def run(line: str) -> None:
        done = neat_delta(*shlex.split(line), cwd=folder, NEAT_DELTA_DATA="data", NEAT_DELTA_USER="Bo")
        assert done.returncode in (0, 1), (line, done.stderr)

    neat_delta("demo", folder.name, cwd=folder.parent, NEAT_DELTA_DATA=f"{folder.name}/data", NEAT_DELTA_USER="Bo")
    run(SUPPLIER)
    run("pick tuesday.changes.jsonl --only price -o prices.changes.jsonl")
    run("pick tuesday.changes.jsonl --only name --only colour -o texts.changes.jsonl")
    run('adjust live.csv --set "price = price * 0.9" --where "maker = \'Quenby Tools\'" -o sale.changes.jsonl')
    for name, part in (("edited", "tuesday"), ("supplier", "supplier"), ("some prices", "prices")):
        run(f'write {part}.changes.jsonl -o "sent {name}"')
        (folder / f"inbox of {name}").mkdir()
        run(f'send "sent {name}" --to "inbox of {name}"')
    _exports(folder, run)
    for person, field in (("anna", "price"), ("bo", "name")):
        run(f"sheet live.csv -o {person}.xlsx --fields name,price")
        _edit(folder / f"{person}.xlsx", field)
    with (folder / "live.csv").open(encoding="utf-8", newline="") as file, (folder / "costs.csv").open("w") as costs:
        costs.writelines(["sku,net\n", *(f"{row['sku']},{row['cost']}\n" for row in csv.DictReader(file))])
    run("preview tuesday.changes.jsonl --review review.xlsx")
    as_a_person_does(folder, shlex.split("neat-delta preview tuesday.changes.jsonl --review review.xlsx --page x"))
    (folder / "home" / ".ssh").mkdir(parents=True)
    key = asyncssh.generate_private_key("ssh-ed25519")
    key.write_private_key(folder / "home" / ".ssh" / "id_ed25519")
    key.write_public_key(folder / "home" / ".ssh" / "id_ed25519.pub")
    (folder / "home" / ".ssh" / "id_ed25519").chmod(0o600)
    book = openpyxl.Workbook()
    for row in (["sku", "price"], ["000401", 85.5]):
        book.active.append(row)
    _database(folder)
    book.active.title = "Prices"
    book.save(folder / "supplier.xlsx")


def _exports(folder: Path, run: Callable[[str], None]) -> None:
    """The shop's exports of a day: sales at noon; after the import of the update; sales until the evening."""
    run("shop open served --from live.csv")
    run("shop open noon --from live.csv")
    run("shop sell noon --orders 5 --seed 3")
    run("shop export noon -o noon.csv")
    run("shop open day --from live.csv")
    run('shop import day "sent edited" --import-report report.csv')
    run("shop export day -o after.csv")
    run("shop sell day --orders 5 --seed 4")
    for name in ("evening", "today"):
        run(f"shop export day -o {name}.csv")


def _database(folder: Path) -> None:
    """The live export as a table of a database."""
    with (
        (folder / "live.csv").open(encoding="utf-8", newline="") as file,
        closing(sqlite3.connect(folder / "shop.db")) as base,
        base,
    ):
        header, *rows = csv.reader(file)
        columns = ", ".join(f"{name} TEXT" for name in header[1:])
        base.execute(f"CREATE TABLE items ({header[0]} TEXT PRIMARY KEY, {columns})")
        base.executemany(f"INSERT INTO items VALUES ({', '.join('?' * len(header))})", rows)


def _edit(path: Path, field: str) -> None:
    book = openpyxl.load_workbook(path)
    sheet = book.active
    at = [cell.value for cell in sheet[1]].index(field) + 1
    for row in (2, 3):
        cell = sheet.cell(row, at)
        cell.value = cell.value + 1 if field == "price" else f"{cell.value} (new)"
    book.save(path)


class Stage:
    """A copy of the furnished folder, in which the lines of a page are run."""

    def __init__(self, furnished: Path, folder: Path, lines: list[str]) -> None:
        shutil.copytree(furnished, folder)
        self.folder, self.cwd, self.said = folder, folder, ""
        self.open = ExitStack()
        self.environment = {"NEAT_DELTA_DATA": str(folder / "data"), "NEAT_DELTA_USER": "Bo", **PASSWORD_TOLD}
        self.environment |= {"NEAT_DELTA_APPROVAL_SECRET": "a secret of the whole team", "HOME": str(folder / "home")}
        self.addresses = self._addresses(lines)
        for path in folder.glob("*.toml"):
            path.write_text(self._here(path.read_text("utf-8")), "utf-8")

    def _addresses(self, lines: list[str]) -> dict[str, str]:
        """What stands in a page for an outside address, and where that is here; as far as these lines need it."""
        text, found = "\n".join(lines), {}
        if "shop.example/" in text or "127.0.0.1:8017" in text or "nightly" in text or "doctor" in text:
            server = self.open.enter_context(ShopServer(open_shop(self.folder / "served"), 0))
            threading.Thread(target=server.serve_forever, daemon=True).start()
            self.open.callback(server.shutdown)
            here = f"http://127.0.0.1:{server.server_port}"
            found |= {"https://shop.example/api": here, "https://shop.example": here, "http://127.0.0.1:8017": here}
        found["postgresql://anna@db.example/shop?table=items"] = "sqlite:///shop.db?table=items"
        found |= {"/shared/": f"{self.folder}/", "tcp://scheduler.example:8786": "local"}
        files = self.folder / "files"
        for name in ("inbox", "import", "lists"):
            (files / name).mkdir(parents=True, exist_ok=True)
        shutil.copy(self.folder / "anna.xlsx", files / "lists" / "prices.xlsx")
        if "sftp://" in text:
            here = self.open.enter_context(sftp_server(files, self.folder))
            found["sftp://anna@files.example"] = here
            self.environment["NEAT_DELTA_KNOWN_HOSTS"] = str(self.folder / "known_hosts")
        if "ftps://" in text:
            here = self.open.enter_context(ftp_server(files, tls=self.folder))
            found |= {"ftps://anna@files.example": here, "ftps://shop.example": here}
            self.environment["SSL_CERT_FILE"] = str(self.folder / "ca.pem")
        shutil.copy(self.folder / "anna.xlsx", self.folder / "edited.xlsx")
        return found | {"/srv/inbox": str(files / "inbox")}

    def _here(self, text: str) -> str:
        for outside in sorted(self.addresses, key=len, reverse=True):
            text = text.replace(outside, self.addresses[outside])
        return text

    def _make_room(self, line: str) -> None:
        """Take away what a line makes; pages show several ways to the same file."""
        words = shlex.split(line)
        made = [words[at + 1] for at, word in enumerate(words[:-1]) if word in WRITTEN]
        made += [words[words.index("--review") + 1]] if "preview" in words and "--review" in words else []
        made += [word for word in words if word.endswith(".toml")] if "--init" in words else []
        made += [f"{words[2].split('.')[0]}.approval.json"] if words[1:2] == ["approve"] else []
        for name in made:
            path = self.cwd / name
            shutil.rmtree(path) if path.is_dir() else path.unlink(missing_ok=True)

    def run(self, line: str) -> subprocess.CompletedProcess[str] | None:
        """Run one line, and do what a person does behind it; ``None`` if it is no command of the program."""
        line = self._here(line)
        self._make_room(line)
        words = shlex.split(line)
        if words[0] == "cd":
            self.cwd = self.cwd / words[1]
            return None
        variables = dict(re.findall(r"^(\w+)=(\S+)", words.pop(0))) if line.startswith("NEAT_DELTA_") else {}
        if words[0] != "neat-delta":
            return None
        if "--ssh-key" in words:
            if shutil.which("ssh-keygen") is None:
                return None
            self._let_sign()
        if words[1:3] == ["shop", "serve"]:
            return self._serve_a_moment(words)
        done = neat_delta(*words[1:], cwd=self.cwd, **self.environment, **variables)
        self.said += done.stdout
        as_a_person_does(self.cwd, words)
        return done

    def write(self, name: str, text: str) -> None:
        """Save a file that a page shows, with the addresses that are here."""
        (self.cwd / name).write_text(self._here(text), "utf-8")

    def _let_sign(self) -> None:
        """What the page says of the file of signers."""
        key = (self.folder / "home" / ".ssh" / "id_ed25519.pub").read_text()
        (self.folder / "allowed_signers").write_text(f'anna namespaces="neat-delta" {key}')
        (self.folder / "catalogue.toml").write_text('[send]\napproval = "other"\nsigners = "allowed_signers"\n')

    def _serve_a_moment(self, words: list[str]) -> subprocess.CompletedProcess[str]:
        """Serve until it says where, at any port that is free: other tests serve as well."""
        pipe, environment = subprocess.PIPE, os.environ | self.environment
        line = [PROGRAM, *words[1:], "--port", "0"]
        with subprocess.Popen(line, cwd=self.cwd, env=environment, stdout=pipe, stderr=pipe, text=True) as serving:
            assert serving.stdout is not None
            said = serving.stdout.readline()
            serving.terminate()
        return subprocess.CompletedProcess(words, 0 if "http://127.0.0.1:" in said else 3, said, "")


def as_a_person_does(folder: Path, words: list[str]) -> None:
    """Mark the rows of a workbook that a command has made; save the decisions of its page."""
    for option, mark in MARKS.items():
        if option in words and words[1] != "pick":
            _mark(folder / words[words.index(option) + 1], mark)
    if words[1] == "preview" and "--page" in words:
        _decide(folder / words[2])
    if words[1] == "compare" and "--problems" in words:
        _correct(folder / words[words.index("--problems") + 1])


def _mark(path: Path, mark: str) -> None:
    """Write a mark into the first empty column of each row."""
    if not path.exists():
        return
    book = openpyxl.load_workbook(path)
    sheet = book.active
    heads = [str(cell.value).lower() for cell in sheet[1]]
    at = next(number for number, head in enumerate(heads, 1) if head.startswith(("accept", "decision", "choose")))
    for row in range(2, sheet.max_row + 1):
        sheet.cell(row, at).value = mark
    book.save(path)


def _correct(path: Path) -> None:
    """Correct the price that is no number, and let go of the other rows with errors."""
    book = openpyxl.load_workbook(path)
    sheet = book["error"]
    at = [cell.value for cell in sheet[1]].index("price") + 1
    for row in range(sheet.max_row, 1, -1):
        if sheet.cell(row, at).value == "on request":
            sheet.cell(row, at).value = "32,90"
        else:
            sheet.delete_rows(row)
    book.save(path)


def _decide(changes: Path) -> None:
    """Save the decisions of a page in which everything was accepted."""
    rows = []
    for line in changes.read_text("utf-8").splitlines()[1:]:
        item = json.loads(line)
        rows += [
            {"item": item["key"], "field": field, "decision": "accept"}
            for field in item.get("cells", {})
            if item["action"] == "change"
        ]
    head = {"neat_delta": 2, "kind": "decisions", "changes": sha256(changes.read_bytes()).hexdigest()}
    path = changes.with_name(f"{changes.name.split('.')[0]}.decisions.json")
    path.write_text(json.dumps(head | {"decisions": rows}), "utf-8")
