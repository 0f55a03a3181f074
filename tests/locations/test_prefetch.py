import hashlib

import pytest

from neat_delta.base.errors import InvalidInput
from neat_delta.locations.prefetch import FilePrefetch


def held(begun, path):
    content = begun.content(path)
    return content.read(0, len(content))


def test_files_are_there_with_their_fingerprints_whenever_they_are_asked_for(tmp_path):
    one, two = tmp_path / "one", tmp_path / "two"
    one.write_bytes(b"a" * 100_000)
    two.write_bytes(b"")

    for begun in (FilePrefetch(one, two, one), FilePrefetch(one, two, fingerprints=False)):
        assert (held(begun, one), held(begun, two)) == (b"a" * 100_000, b"")
        assert begun.sha256(one) == hashlib.sha256(b"a" * 100_000).hexdigest()


@pytest.mark.parametrize(("name", "reason"), [("none", "file not found"), (".", "this is a folder")])
def test_what_cannot_be_read_is_said_where_it_is_asked_for(tmp_path, name, reason):
    begun = FilePrefetch(tmp_path / name)

    for ask in (begun.content, begun.sha256):
        with pytest.raises(InvalidInput, match=reason):
            ask(tmp_path / name)
