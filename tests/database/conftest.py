"""Real databases of each sort, for every test of this folder."""

import pytest

from database_servers import MISSING, SERVERS


@pytest.fixture(scope="module", params=["postgresql", "mysql", "sqlite"])
def server(request, tmp_path_factory):
    """The address of a database of any sort."""
    if MISSING[request.param]:
        pytest.skip(MISSING[request.param])
    if request.param == "sqlite":
        path = tmp_path_factory.mktemp("sqlite") / "shop.db"
        path.touch()
        yield f"sqlite:///{path}"
        return
    with SERVERS[request.param]() as address:
        yield address
