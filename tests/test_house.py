"""The rules that keep the project a house: one way for imports, files that anyone can make anew."""

import subprocess
import sys
import sysconfig
from pathlib import Path

import pytest

ROOT = Path(__file__).parent.parent


def test_imports_point_one_way():
    linter = Path(sysconfig.get_path("scripts")) / "lint-imports"
    done = subprocess.run([linter, "--no-cache"], cwd=ROOT, capture_output=True, text=True, check=False)

    assert done.returncode == 0, done.stdout


@pytest.mark.parametrize("name", ["live.csv", "edited.csv", "pellimoor.csv"])
def test_the_demo_shop_is_what_its_script_makes(tmp_path, monkeypatch, name):
    monkeypatch.syspath_prepend(str(ROOT / "scripts"))
    import make_demo_shop

    monkeypatch.setattr(make_demo_shop, "SHOP", tmp_path)
    make_demo_shop.main()

    assert (tmp_path / name).read_bytes() == (ROOT / "src/neat_delta/demo_shop" / name).read_bytes()
    assert sys.modules.pop("make_demo_shop")
