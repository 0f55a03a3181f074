"""The compare as a plain csv-module script: a dictionary of the live rows, a loop over the edited ones."""

from __future__ import annotations

import csv
import sys
from pathlib import Path

live_path, edited_path, out = map(Path, sys.argv[1:4])
with live_path.open(newline="") as file:
    reader = csv.reader(file)
    header = next(reader)
    live = {row[0]: row for row in reader}
with edited_path.open(newline="") as file, out.open("w", newline="") as target:
    delimiter = ";" if ";" in file.readline() else ","
    file.seek(0)
    reader = csv.reader(file, delimiter=delimiter)
    next(reader)
    writer = csv.writer(target)
    writer.writerow(header)
    for row in reader:
        was = live[row[0]]
        if row != was:
            cells = [now if now != old else "" for old, now in zip(was[1:], row[1:], strict=True)]
            writer.writerow([row[0], *cells])
