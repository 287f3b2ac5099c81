"""Where what was worked out is kept."""

from __future__ import annotations

import os
from pathlib import Path

import platformdirs


def cache_folder() -> Path:
    """Return where analyses are kept: TEMPIK_CACHE if set, else the user's cache folder."""
    return Path(os.environ.get("TEMPIK_CACHE") or platformdirs.user_cache_dir("tempik"))
