"""The log: faults of ours with where they happened, in a file that Help → Show log opens."""

from __future__ import annotations

import atexit
import faulthandler
import logging
import os
import threading
from pathlib import Path

from tempik.disk.writing import make_folders, open_lock
from tempik.project.file import state_folder

_LOCK = threading.Lock()
_NAME = "tempik.desktop"


def log_path() -> Path:
    """Return the log's file."""
    return state_folder() / "tempik.log"


def _logger() -> logging.Logger:
    """Return the log, its file opened at the first fault. Where it cannot be written, faults go to standard error."""
    from logging.handlers import RotatingFileHandler  # slow to load, and most sessions have no fault

    logger = logging.getLogger(_NAME)
    with _LOCK:
        wanted = str(log_path())
        for handler in list(logger.handlers):
            if getattr(handler, "baseFilename", "") != wanted:
                logger.removeHandler(handler)
                handler.close()
        if not logger.handlers:
            handler_: logging.Handler
            try:
                log_path().parent.mkdir(parents=True, exist_ok=True)
                handler_ = RotatingFileHandler(wanted, maxBytes=1 << 20, backupCount=1, encoding="utf-8")
            except OSError:
                handler_ = logging.StreamHandler()
            handler_.setFormatter(logging.Formatter("%(asctime)s %(threadName)s %(message)s"))
            logger.addHandler(handler_)
            logger.propagate = False
    return logger


def log_fault(where: str, error: BaseException) -> None:
    """Write a fault and where it happened."""
    _logger().error("%s: %s", where, error, exc_info=(type(error), error, error.__traceback__))


def has_faults() -> bool:
    """Tell whether anything was written to the log."""
    path = log_path()
    return path.is_file() and path.stat().st_size > 0


def log_crashes() -> None:
    """Have it written to the log where each thread was, should a library's code end the program: no exception tells of that."""
    try:
        make_folders(log_path().parent)
        file = open_lock(log_path(), os.O_APPEND)
    except OSError:
        faulthandler.enable()
        return
    faulthandler.enable(file)
    atexit.register(_leave_no_empty_log)


def _leave_no_empty_log() -> None:
    if not has_faults():
        log_path().unlink(missing_ok=True)
