"""Reels that cannot be: what reading refuses, writing refuses too."""

from pathlib import Path

import msgspec
import pytest

from tempik.errors import TempikError
from tempik.project.file import FORMAT, encode_value, load_reel, save_reel
from tempik.project.media_files import with_paths
from tempik.reel import Reel


def refused_both_ways(reel: Reel, path: Path, words: str) -> None:
    """A reel is refused where it is saved, the file that was there stays, and where another program wrote it, it is refused again."""
    path.write_bytes(b"what was there")
    with pytest.raises(TempikError, match=words):
        save_reel(reel, path)
    assert path.read_bytes() == b"what was there"
    document = {"format": FORMAT, "reel": with_paths(reel, path.parent, relative=True)}
    path.write_bytes(msgspec.json.encode(document, enc_hook=encode_value))
    with pytest.raises(TempikError, match=words):
        load_reel(path)
