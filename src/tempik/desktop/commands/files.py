"""Asking for a file to write to, in one of several forms."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtWidgets import QFileDialog, QWidget


def file_to_write(window: QWidget, title: str, name: str, forms: str) -> Path | None:
    """Ask where to write; a name without an ending gets that of the chosen form. None where nothing was chosen."""
    path, form = QFileDialog.getSaveFileName(window, title, name, forms)
    if not path:
        return None
    return Path(path) if Path(path).suffix else Path(path + form[form.find("*.") + 1 : form.find(")")])
