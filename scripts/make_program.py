"""Makes one program file of neat-delta, for people without Python: dist/neat-delta (on Windows neat-delta.exe).

    pip install '.[program]' && python scripts/make_program.py

It is for the system on which it is made. Started by a double click, or with files dragged onto it, it asks what to do.
"""

from __future__ import annotations

import subprocess
import sys
import tempfile
from pathlib import Path

ROOT = Path(__file__).parents[1]
START = """
import sys

from neat_delta.files.own_process import DECODE_PARQUET

if sys.argv[1:2] == [DECODE_PARQUET]:
    del sys.argv[1]
    from neat_delta.reading.parquet import decode_for_parent

    decode_for_parent()
else:
    from neat_delta.cli import main

    main()
"""
# Whole packages that find their own parts by name when they run, or bring files that they read.
WITH_SUBMODULES = ("neat_delta", "sqlglot", "charset_normalizer", "stdnum")
# What is only imported by its name.
HIDDEN = ("matplotlib.backends.backend_svg", "matplotlib.backends.backend_agg")
WITH_DATA = ("neat_delta", "stdnum")
# What asks for the versions of packages, or for what they announce.
WITH_METADATA = ("neat-delta", "polars", "click", "rich", "httpx", "sqlalchemy", "xlsxwriter", "python-calamine")
# What is heavy, and no command needs.
WITHOUT = ("tkinter", "IPython", "pytest", "PyQt5", "PySide6", "distributed", "dask")


def main() -> None:
    """Build the program, and try it."""
    with tempfile.TemporaryDirectory() as name:
        start = Path(name) / "neat_delta_program.py"
        start.write_text(START, "utf-8")
        words = [sys.executable, "-m", "PyInstaller", "--onefile", "--console", "--noconfirm", "--log-level", "WARN"]
        words += [
            "--name",
            "neat-delta",
            "--distpath",
            str(ROOT / "dist"),
            "--workpath",
            f"{name}/work",
            "--specpath",
            name,
        ]
        for option, packages in (
            ("--collect-submodules", WITH_SUBMODULES),
            ("--hidden-import", HIDDEN),
            ("--collect-data", WITH_DATA),
            ("--copy-metadata", WITH_METADATA),
            ("--exclude-module", WITHOUT),
        ):
            words += [word for package in packages for word in (option, package)]
        subprocess.run([*words, str(start)], check=True, cwd=ROOT)
        program = next(path for path in (ROOT / "dist").glob("neat-delta*") if path.suffix in ("", ".exe"))
        for command in (["--version"], ["demo", f"{name}/shop"], ["preview", "--help"]):
            subprocess.run([program, *command], check=True, stdout=subprocess.DEVNULL, cwd=name)
        parquet = ["compare", "live.csv", "edited.csv", "--base", "none", "--write", "parquet", "--format", "parquet"]
        subprocess.run([program, *parquet], check=False, stdout=subprocess.DEVNULL, cwd=f"{name}/shop")
        assert (Path(name) / "shop" / "parquet" / "receipt.json").is_file()
        page = ["preview", "tuesday.changes.jsonl", "--page", "page.html"]
        subprocess.run([program, *page], check=False, stdout=subprocess.DEVNULL, cwd=f"{name}/shop")
        assert (Path(name) / "shop" / "page.html").is_file()
        print(f"{program}: {program.stat().st_size / 1e6:.0f} MB")


if __name__ == "__main__":
    main()
