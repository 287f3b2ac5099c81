"""Commands that play and step."""

from __future__ import annotations

from PySide6.QtCore import QObject

from tempik.desktop.commands.registry import command
from tempik.desktop.playback.transport import Loop, Transport
from tempik.desktop.session.document import Project


class PlayCommands(QObject):
    """What keys do with the playhead. A page that looks at footage takes some of them for that."""

    def __init__(self, project: Project, transport: Transport) -> None:
        super().__init__(project)
        self.project, self.transport = project, transport

    @command("Play", "Play or pause", ("Space",), "song")
    def play_pause(self) -> None:
        self.transport.play_pause()

    @command("Play", "One frame back", ("Left",))
    def step_back(self) -> None:
        self.transport.step(-1)

    @command("Play", "One frame on", ("Right",))
    def step_on(self) -> None:
        self.transport.step(1)

    @command("Play", "Ten frames back", ("Shift+Left",))
    def leap_back(self) -> None:
        self.transport.step(-10)

    @command("Play", "Ten frames on", ("Shift+Right",))
    def leap_on(self) -> None:
        self.transport.step(10)

    @command("Play", "Previous cut or point", ("Up",))
    def previous_stop(self) -> None:
        self.transport.previous_stop()

    @command("Play", "Next cut or point", ("Down",))
    def next_stop(self) -> None:
        self.transport.next_stop()

    @command("Play", "To the start", ("Home",))
    def to_start(self) -> None:
        self.transport.step(-self.project.playhead.frame)

    @command("Play", "To the end", ("End",))
    def to_end(self) -> None:
        self.transport.step(self.project.timeline.frames)

    @command("Speed", "Loop the clip", ("8",), "clips")
    def loop_clip(self) -> None:
        self.loop("" if self.transport.looping == "clip" else "clip")

    @command("Speed", "Loop the two bars around the clip", ("9",), "clips")
    def loop_bars(self) -> None:
        self.loop("" if self.transport.looping == "bars" else "bars")

    @command("Play", "Loop two beats about what is worked on", ("Shift+Space",), "clips")
    def loop_here(self) -> None:
        """A transition's turn, a clip's start or the playhead; it plays at once, and on while controls move. Again: it stops."""
        if self.transport.looping == "here":
            self.transport.set_looping("")
            self.transport.player.pause()
            return
        self.transport.set_looping("here")
        if not self.transport.player.playing:
            self.transport.play_pause()
        self.project.messages.say("Two beats go round while you work; Shift+Space again stops.")

    def loop(self, what: Loop) -> None:
        """Play the clip or its bars round and round; "" plays on."""
        if what and self.project.selection.placed is None:
            self.project.messages.say("Select a clip to loop.", True)
            what = ""
        self.transport.set_looping(what)

    @command("View", "Preview at the reel's own size, or as it is seen", ("\\",))
    def toggle_full_size(self) -> None:
        self.transport.set_full_size(not self.transport.size.full_size)
        size = "the reel's own size" if self.transport.size.full_size else "the size it is seen at"
        self.project.messages.say(f"The preview is rendered at {size}.")
