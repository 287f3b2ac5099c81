"""The window: the only part of Tempik that knows Qt."""

import builtins
import gc
import os

# Before anything loads NumPy: the window has threads of its own for all that takes long. Where those are busy, a product of matrices that
# is shared out among further ones waits for each of them: the first picture of the demo waited up to nine seconds for a grade's table.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

import PySide6.QtCore  # noqa: F401 - what puts its own import in place, below

# While its modules load there is nothing to collect, and looking for it takes a tenth of that time; from when the window stands on,
# `session.garbage` looks for it.
gc.disable()

# The binding reads the source of every module imported, and keeps it, to see whether it may want the binding's own other spelling
# of Qt's names (`from __feature__ import ...`). Nothing here does, and it took a seventh of the start.
builtins.__import__ = getattr(builtins, "__orig_import__", builtins.__import__)
