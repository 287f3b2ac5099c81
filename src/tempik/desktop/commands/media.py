"""Commands on proxies and what else can be made again."""

from __future__ import annotations

from PySide6.QtCore import QObject

from tempik.desktop.commands.registry import command
from tempik.desktop.playback.transport import Transport
from tempik.desktop.session.background import ProxyStore
from tempik.desktop.session.document import Project


class MediaCommands(QObject):
    """Which pictures stand for the files."""

    def __init__(self, project: Project, proxy_store: ProxyStore, transport: Transport) -> None:
        super().__init__(project)
        self.project, self.proxy_store, self.transport = project, proxy_store, transport

    @command("View", "Look at proxies or at the files themselves")
    def toggle_proxies(self) -> None:
        self.proxy_store.set_on(not self.proxy_store.on)
        self.transport.footage_changed()
        self.project.messages.say("Proxies are shown." if self.proxy_store.on else "The files themselves are shown.")

    @command("View", "Remove proxies and analyses from the disk")
    def clear_kept(self) -> None:
        """They are made anew when the project is next opened."""
        self.proxy_store.clear()
        self.transport.footage_changed()
