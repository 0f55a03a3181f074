"""What is attacked: commands on a damaged file, commands with odd option values, and single readers, which are faster."""

from __future__ import annotations

import os
import re
import shutil
import time
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

from fuzz import mutations, readers, seeds

if TYPE_CHECKING:
    from random import Random

# What damaged input may cost: seconds, and bytes of memory beyond what the program itself takes.
SLOW, HEAVY = 10.0, 1 << 30
# Nothing of an input may reach a terminal as a control character, an escape or a sign for the direction of writing.
OBEYED = re.compile("[\0-\x08\x0b-\x1f\x7f-\x9f\u200e\u200f\u2028\u2029\u202a-\u202e\u2066-\u2069]")

# A seed that is damaged, and commands that read it; {} is the damaged file.
COMMANDS: tuple[tuple[str, tuple[str, ...]], ...] = (
    *((name, ("inspect {}", "compare live.csv {} --write w", "compare {} live.csv", "setup {} -o t.toml"))
      for name in ("edited.csv", "semicolons.csv", "utf16.csv", "edited.csv.gz", "edited.csv.zst", "edited.zip",
                   "edited.jsonl", "edited.xml", "edited.xlsx", "edited.ods")),
    ("live.csv", ("compare {} edited.csv --write w", "adjust {} --set price=price*1.05 --write w", "sheet {} -o s.xlsx",
                  "recode {} codes.csv", "compare {} edited.csv --add-new --delete-missing 50 --blanks clear --write w")),
    ("sheet.xlsx", ("compare live.csv {}", "inspect {}")),
    ("supplier.csv", ("compare live.csv {} --profile pelli --write w",)),
    ("codes.csv", ("recode live.csv {} --write w", "compare live.csv edited.csv --sku-changes {}")),
    ("quotes.csv", ("preview c.changes.jsonl --money --quotes {}",)),
    ("report.csv", ("pick c.changes.jsonl --failed {} -o p.changes.jsonl",)),
    ("mapping.csv", ("compare live.csv supplier.csv --profile pelli --map-file {}",)),
    ("items.txt", ("adjust live.csv --set price=price*1.1 --items {}",)),
    *((name, ("check {}", "preview {}", "preview {} --page p.html", "preview {} --money --stock", "write {} -o w", "preview {} --by field --json",
              "undo {} -o w", "pick {} --only price -o p.changes.jsonl", "refresh {} fresh.csv -o p.changes.jsonl",
              "verify {} fresh.csv", "combine {} adjust.changes.jsonl -o p.changes.jsonl", "preview {} --charts ch", "preview {} --review v.xlsx"))
      for name in ("c.changes.jsonl", "new.changes.jsonl", "recode.changes.jsonl")),
    ("review.xlsx", ("pick c.changes.jsonl --review {} -o p.changes.jsonl",)),
    ("conflicts.xlsx", ("refresh c.changes.jsonl fresh.csv -o p.changes.jsonl --decisions {}",)),
    ("fresh.csv", ("refresh c.changes.jsonl {} -o p.changes.jsonl", "verify c.changes.jsonl {}", "undo c.changes.jsonl -o w --fresh {}")),
    ("catalogue.toml", ("compare live.csv edited.csv --write w --catalogue {}", "compare live.csv supplier.csv --profile pelli --catalogue {}",
                        "write c.changes.jsonl -o w --catalogue {}", "sheet live.csv -o s.xlsx --catalogue {}", "setup live.csv -o {} --yes",
                        "preview c.changes.jsonl --money --stock --catalogue {}", "refresh c.changes.jsonl fresh.csv -o p.changes.jsonl --catalogue {}")),
    ("run.toml", ("run {} --dry-run", "run {}")),
    ("jobs.toml", ("run {} --dry-run", "run {}", "run {} --validate", "doctor {} --offline")),
    ("jobs.campaign.json", ("run jobs.toml", "run jobs.toml --dry-run")),
    ("c.decisions.json", ("pick c.changes.jsonl --decisions {} -o p.changes.jsonl", "pick c.changes.jsonl --decisions {} -o p.changes.jsonl --unmarked accept")),
    ("some.approval.json", ("write c.changes.jsonl -o w --approval {}",)),
    ("history.sqlite", ("history --history {}", "history 1 --history {}", "history KT-0001 --history {}", "send update --to inbox --history {}",
                        "verify c.changes.jsonl fresh.csv --history {}", "undo 1 -o w --history {}")),
    ("receipt.json", ("send update --to inbox", "send update --to inbox --dry-run", "undo update -o w", "verify update fresh.csv")),
    ("kept.zst", ("history --exports", "history KT-0001", "check c.changes.jsonl", "compare live.csv edited.csv", "history --prune")),
)  # fmt: skip
# Where a seed has its place by name instead of being given.
PLACES = {
    "receipt.json": "update/receipt.json",
    "kept.zst": "exports/{kept}",
    "jobs.campaign.json": "runs/jobs.campaign.json",
}

FORMULAS = (
    "price = price * 1.05", "price = round(price / 3, 2)", "price = ending(price, .95)", "name = name || ' x'",
    "price = case when cost > 5 then price * 2 else price end", "stock_barn = greatest(stock_barn - 5, 0)",
    "name = upper(name)", "price = coalesce(cost, 1)", "tags = replace(tags, 'a', 'b')", "price = cost / -2",
)  # fmt: skip
CONDITIONS = (
    "price > 10", "name like 'Jar%'", "price between 3 and 9", "sku in ('KT-0001', 'KT-0002')", "cost < price and stock_barn > 0",
    "regexp_like(name, '^J')", "length(name) > 3", "tags is not null", "not (price = 5)", "lower(name) = 'jar 1'",
)  # fmt: skip
# Options with values; {} is an odd one.
OPTIONS = (
    "compare live.csv edited.csv --key {}", "compare live.csv edited.csv --where {}", "compare live.csv edited.csv --skip {}",
    "compare live.csv edited.csv --type price={}", "compare live.csv edited.csv --type {}", "compare live.csv edited.csv --map {}",
    "compare live.csv supplier.csv --map {}=supplier_code --match-on supplier_code", "compare live.csv supplier.csv --profile {}",
    "compare live.csv edited.csv --match-on {}", "compare live.csv edited.csv --delete-missing {}", "compare live.csv edited.csv --set {}",
    "compare live.csv edited.csv --constant {}", "compare live.csv edited.csv --constant price={}", "compare live.csv edited.csv --set-new {} --add-new",
    "compare live.csv edited.csv --delimiter {}", "compare live.csv edited.csv --encoding {}", "compare live.csv edited.csv --header-line {}",
    "compare live.csv edited.xlsx --worksheet {}", "compare live.csv edited.csv --decimal {}", "compare live.csv edited.csv --ignore {}",
    "compare live.csv edited.csv --as-typed {}", "compare live.csv edited.csv --unlock {}", "compare live.csv edited.csv --status {}",
    "compare live.csv edited.csv --base {}", "compare live.csv edited.csv --images {}", "compare live.csv edited.csv -o {}",
    "compare live.csv edited.csv --write {}", "compare live.csv edited.csv --problems {}", "compare live.csv {}", "compare {} edited.csv",
    "compare live.csv edited.csv --on-conflict {}", "compare live.csv edited.csv --prefer {}", "compare live.csv edited.csv --map-code {}",
    "compare live.csv edited.csv --map-value price {}", "compare live.csv edited.csv --map-value {} a=b", "compare live.csv edited.csv --catalogue {}",
    "compare live.csv edited.csv --save-profile {}", "compare live.csv edited.csv --items {}",
    "adjust live.csv --set price=price*1.05 --ending {}", "adjust live.csv --set price=price*1.05 --multiple-of {}",
    "adjust live.csv --set {}", "adjust live.csv --set price={}", "adjust live.csv --set price=price*{}", "adjust live.csv --set price=1 --where {}",
    "recode live.csv codes.csv --old {}", "recode live.csv codes.csv --new {} --old old", "preview c.changes.jsonl --limit {}",
    "preview c.changes.jsonl --where {}", "preview c.changes.jsonl --by {}", "preview c.changes.jsonl --item {}", "preview c.changes.jsonl --only {}",
    "preview c.changes.jsonl --page {}", "preview c.changes.jsonl --charts {}", "pick c.changes.jsonl --where {} -o p.jsonl",
    "pick c.changes.jsonl --skip {} -o p.jsonl", "write c.changes.jsonl -o w --as-of {}", "write c.changes.jsonl -o w --format {}",
    "write c.changes.jsonl -o {}", "write c.changes.jsonl -o w --pack {}", "write {} -o w", "check {}", "undo {} -o w", "undo c.changes.jsonl -o {}",
    "verify c.changes.jsonl fresh.csv --limit {}", "history {}", "history --sku {}", "history --history {}", "send update --to {}",
    "send update --to file://{}", "send {} --to inbox", "sheet live.csv -o s.xlsx --fields {}", "sheet live.csv -o {}", "sheet live.csv -o s.csv --where {}",
    "setup live.csv --key {} -o t.toml", "setup live.csv -o {}", "inspect {}", "inspect http://{}", "explain {}", "run {}", "{}",
    "shop open s --from live.csv --{}", "shop open {} --from live.csv", "shop sell {}", "combine c.changes.jsonl adjust.changes.jsonl -o {}",
    "history --since {}", "history --cells --person {}", "history --field {}", "history -o {}", "approve c.changes.jsonl --by {}",
    "approve {} --by Anna", "approve c.changes.jsonl --by Anna --days {}", "approve c.changes.jsonl --by Anna --ssh-key {}",
    "write c.changes.jsonl -o w --from {} --until 2999-01-01", "write c.changes.jsonl -o w --approval {}", "doctor {} --offline",
    "run x.toml --init --live {} --edited e.csv", "run x.toml --init --live l.csv --edited e.csv --mail-from {} --mail-to a@b.example",
    "inspect live.csv --log-file {}", "pick c.changes.jsonl --decisions {} -o p.jsonl",
    "combine c.changes.jsonl adjust.changes.jsonl -o p.jsonl --prefer {}", "{} live.csv edited.csv",
)  # fmt: skip
# Values that would take the test elsewhere: waiting for input, another machine, or the wide world of the disk.
NOT_GIVEN = re.compile(r"^-$|://|^/$|^\.\.?$|^\.\./?$")


# Attacks that are no command lines.
READ, EXPRESSION = "read", "expression"


@dataclass(frozen=True)
class Attack:
    """One attempt: a file put somewhere, and the command that reads it."""

    words: tuple[str, ...]
    place: str | None = None
    data: bytes = b""


def make_reading(files: dict[str, Path], rng: Random) -> Attack:
    """An attack on a single reader or on the room of expressions, fifty times as fast as one on a command."""
    if rng.random() < 0.15:
        return Attack((EXPRESSION, odd_value(rng)))
    name = rng.choice(tuple(readers.READERS))
    return Attack((READ, name), f"damaged-{name}", mutations.damage(files[name].read_bytes(), rng))


def make_attack(files: dict[str, Path], rng: Random) -> Attack:
    """An attack at random: damage to a file three times of four, else odd values of options."""
    if rng.random() < 0.25:
        line = rng.choice(OPTIONS)
        value = odd_value(rng)
        return Attack(tuple(word.replace("{}", value) for word in line.split(" ")))
    name, commands = rng.choice(COMMANDS)
    place = PLACES.get(name, f"damaged-{name}").replace("{kept}", files["kept.name"].read_text())
    words = [place if word == "{}" else word for word in rng.choice(commands).split(" ")]
    if rng.random() < 0.2:
        words += ["--json"]
    return Attack(tuple(words), place, mutations.damage(files[name].read_bytes(), rng))


def odd_value(rng: Random) -> str:
    """A value for an option: a text, a number, or an expression that was damaged."""
    way = rng.randrange(4)
    if way == 0:
        value = rng.choice(mutations.NUMBERS)
    elif way == 1:
        value = rng.choice(mutations.TEXTS)
    else:
        value = rng.choice(FORMULAS + CONDITIONS)
        for _ in range(rng.randrange(4)):
            value = (
                mutations.in_tokens(value.encode(), rng).decode("utf-8", "replace")
                if rng.random() < 0.5
                else _spliced(value, rng)
            )
    value = value.replace("\0", "")  # (the system lets no program have one)
    return "x" if NOT_GIVEN.search(value) else value


def _spliced(text: str, rng: Random) -> str:
    at = rng.randrange(len(text) + 1)
    parts = (
        *mutations.TEXTS,
        *mutations.NUMBERS,
        "(",
        ")",
        " and ",
        " or ",
        " = ",
        "*",
        "/",
        "||",
        "::int",
        " over ()",
        "((((",
        " like ",
    )
    return text[:at] + rng.choice(parts) + text[at + rng.randrange(3) :]


@dataclass
class Verdict:
    """How the program took an attack; ``fault`` names what must not be, and is the same for the same fault."""

    fault: str | None
    said: str


class Arena:
    """A folder with the seeds, put back in order after each attack."""

    def __init__(self, files: dict[str, Path], folder: Path) -> None:
        self.files, self.folder = files, folder
        folder.mkdir(parents=True, exist_ok=True)
        self._clean()

    def _clean(self) -> None:
        source = next(iter(self.files.values())).parent
        for path in self.folder.iterdir():
            if path.name not in self.files and path.name not in ("update",):
                shutil.rmtree(path, ignore_errors=True) if path.is_dir() and not path.is_symlink() else path.unlink()
        for name, path in self.files.items():
            own = self.folder / name
            known = path.stat()
            if not own.is_file() or (own.stat().st_size, own.stat().st_mtime_ns) != (known.st_size, known.st_mtime_ns):
                shutil.copy2(path, own)
        shutil.copytree(source / "update", self.folder / "update", dirs_exist_ok=True)
        (self.folder / "inbox").mkdir()
        (self.folder / "exports").mkdir(exist_ok=True)
        kept = self.files["kept.name"].read_text()
        shutil.copy2(self.files["kept.zst"], self.folder / "exports" / kept)

    def attack(self, attack: Attack) -> Verdict:
        """Run one attack in this process and judge what comes of it."""
        os.chdir(self.folder)
        if attack.place is not None:
            (self.folder / attack.place).parent.mkdir(parents=True, exist_ok=True)
            (self.folder / attack.place).write_bytes(attack.data)
        before, begun = _reset_peak(), time.monotonic()
        if attack.words[0] in (READ, EXPRESSION):
            out, (code, err) = "", readers.tried(attack.words[0] == READ, attack.words[1], attack.place)
        else:
            code, out, err = seeds.quietly(list(attack.words))
        took, grown = time.monotonic() - begun, _peak() - before
        fault = _fault(code, out, err, took, grown)
        if attack.words[0] not in (READ, EXPRESSION):
            self._clean()
        return Verdict(fault, out + err)


def _fault(code: int, out: str, err: str, took: float, grown: int) -> str | None:
    if "Traceback" in err or "internal error" in err:
        if kept := re.search(r"(\S*neat-delta-error-\S*\.txt)", err):
            path = Path(kept[1])
            err = path.read_text()
            path.unlink()
        lines = err.splitlines()
        ours = [line.strip() for line in lines if "neat_delta/" in line and ", line" in line]
        kind = next((line.partition(":")[0] for line in reversed(lines) if re.match(r"[\w.]+(:|$)", line)), "?")
        where = re.sub(r'File ".*neat_delta/([^"]*)"', r"\1", ours[-1]) if ours else "?"
        return f"{kind} at {where}"
    if code not in (0, 1, 2, 3, 4, 130):
        return f"exit code {code}"
    if code in (2, 3, 4) and not (err.strip() or out.strip()):
        return "refused without a word"
    if obeyed := OBEYED.search(out + err):
        return f"control character {obeyed[0]!r} reaches the terminal"
    if took > SLOW:
        return "slow"
    return "heavy" if grown > HEAVY else None


def _reset_peak() -> int:
    """The memory of this process now, from which its peak counts again (Linux: proc(5), clear_refs)."""
    try:
        with Path("/proc/self/clear_refs").open("w") as file:
            file.write("5")
    except OSError:
        return 0
    return _peak()


def _peak() -> int:
    try:
        with Path("/proc/self/status").open() as file:
            return next(int(line.split()[1]) << 10 for line in file if line.startswith("VmHWM"))
    except (OSError, StopIteration):
        return 0
