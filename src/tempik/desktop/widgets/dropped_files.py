"""Files that were dropped, by the bytes of their names: Qt gives those that are no text as others."""

from __future__ import annotations

import os
from urllib.parse import unquote_to_bytes

from PySide6.QtCore import QMimeData, QUrl


def local_files(data: QMimeData) -> list[str]:
    """Return the local files of what is dropped; a name that is no text (UTF-8) as Python has such names."""
    encoded = (u.path(QUrl.ComponentFormattingOption.FullyEncoded) for u in data.urls() if u.isLocalFile())
    return [os.fsdecode(unquote_to_bytes(path)) for path in encoded]
