"""Every action of the window: its name, its keys, and the method that does it. The keyboard list is made of this."""

from __future__ import annotations

from typing import NamedTuple


class Command(NamedTuple):
    """One action. `group` heads it in the palette's and the keyboard list's order; `keys` may be empty."""

    group: str
    method: str
    text: str
    keys: tuple[str, ...] = ()
    needs: str = ""  # song, clips, clip, project: what must be there for it to be enabled


COMMANDS: tuple[Command, ...] = (
    Command("Project", "new_project", "New project", ("Ctrl+N",)),
    Command("Project", "open_project", "Open project …", ("Ctrl+O",)),
    Command("Project", "save", "Save", ("Ctrl+S",)),
    Command("Project", "save_as", "Save as …", ("Ctrl+Shift+S",)),
    Command("Project", "open_demo", "Open the demo"),
    Command("Project", "choose_song", "Open a song …", ("Ctrl+L",)),
    Command("Project", "choose_footage", "Add footage …", ("Ctrl+I",)),
    Command("Project", "show_draft", "Draft the reel …", ("Ctrl+D",), "song"),
    Command("Project", "export", "Export …", ("Ctrl+E",), "clips"),
    Command("Project", "quit", "Quit", ("Ctrl+Q",)),
    Command("Edit", "undo", "Undo", ("Ctrl+Z",)),
    Command("Edit", "redo", "Redo", ("Ctrl+Shift+Z", "Ctrl+Y")),
    Command("Edit", "cue_here", "Make this frame the clip's cue, on the nearest point", ("C",), "clips"),
    Command("Edit", "pin_next", "Pin the clip's cue to the next point", ("Ctrl+Right",), "clip"),
    Command("Edit", "pin_previous", "Pin the clip's cue to the previous point", ("Ctrl+Left",), "clip"),
    Command("Edit", "unpin", "Unpin the clip", ("U",), "clip"),
    Command("Edit", "reverse", "Reverse the clip", ("R",), "clip"),
    Command(
        "Edit",
        "remove_clip",
        "Remove the clip, or the points selected on the Rhythm page",
        ("Delete", "Backspace"),
        "song",
    ),
    Command("Edit", "toggle_flash", "Toggle a flash on the nearest point", ("X",), "song"),
    Command("Rhythm", "tap", "Tap a point along with the song", ("T",), "song"),
    Command("Rhythm", "place_point", "Place a point at the playhead", ("P",), "song"),
    Command("Rhythm", "nudge_back", "Points a millisecond earlier", (",",), "song"),
    Command("Rhythm", "nudge_on", "Points a millisecond later", (".",), "song"),
    Command("Rhythm", "nudge_frame_back", "Points a frame earlier", ("Ctrl+,",), "song"),
    Command("Rhythm", "nudge_frame_on", "Points a frame later", ("Ctrl+.",), "song"),
    Command("Rhythm", "snap_points", "Snap points to the nearest attack", ("N",), "song"),
    Command("Rhythm", "anchor_point", "Anchor the grid to this beat", ("H",), "song"),
    Command("Rhythm", "free_anchors", "Take all anchors away", (), "song"),
    Command("Rhythm", "lock_points", "Lock or unlock points", ("Shift+H",), "song"),
    Command("Rhythm", "name_point", "A word for the point …", ("W",), "song"),
    Command("Rhythm", "remove_points", "Take points out of use", ("Shift+Delete",), "song"),
    Command("Rhythm", "points_back", "All points back as found, but for locked ones", (), "song"),
    Command("Rhythm", "select_all_points", "Select all points of the marked stretch or the reel", ("Ctrl+A",), "song"),
    Command("Rhythm", "half_tempo", "Half the tempo", (), "song"),
    Command("Rhythm", "double_tempo", "Double the tempo", (), "song"),
    Command("Rhythm", "half_a_beat_later", "Shift beats by half a beat", (), "song"),
    Command("Rhythm", "bar_here", "A bar begins here", ("1",), "song"),
    Command("Rhythm", "jump_to_beat", "Jump to bar.beat …", ("J",), "song"),
    Command("Rhythm", "toggle_clicks", "Clicks on the points", ("K",), "song"),
    Command("Rhythm", "toggle_loop", "Loop the marked stretch", ("L",), "song"),
    Command("Rhythm", "next_pace", "Play slower: 1, ¾, ½", ("Shift+L",), "song"),
    Command("Rhythm", "read_points", "Read points from a file …", (), "song"),
    Command("Rhythm", "write_points", "Write points to a file …", (), "song"),
    Command("Play", "play_pause", "Play or pause", ("Space",), "song"),
    Command("Play", "step_back", "One frame back", ("Left",)),
    Command("Play", "step_on", "One frame on", ("Right",)),
    Command("Play", "leap_back", "Ten frames back", ("Shift+Left",)),
    Command("Play", "leap_on", "Ten frames on", ("Shift+Right",)),
    Command("Play", "previous_stop", "Previous cut or point", ("Up",)),
    Command("Play", "next_stop", "Next cut or point", ("Down",)),
    Command("Play", "to_start", "To the start", ("Home",)),
    Command("Play", "to_end", "To the end", ("End",)),
    Command("View", "zoom_in", "Zoom in", ("=", "Ctrl+=")),
    Command("View", "zoom_out", "Zoom out", ("-", "Ctrl+-")),
    Command("View", "fit", "Whole reel", ("0",)),
    Command("View", "show_rhythm", "Rhythm page", ("F2",)),
    Command("View", "show_footage", "Footage page", ("F3",)),
    Command("View", "show_speed", "Speed page", ("F4",)),
    Command("View", "show_check", "Check page", ("F5",)),
    Command("View", "toggle_guides", "Safe-area guides", ("G",)),
    Command("View", "show_commands", "All commands …", ("Ctrl+K",)),
)


def keyboard_list() -> str:
    """Return docs/keyboard.md: every command with its keys, by group."""
    lines = [
        "# Keyboard",
        "",
        "Made from the code by `./run shots`; every command is also in the palette (Ctrl+K).",
    ]
    group = ""
    for command in COMMANDS:
        if command.group != group:
            group = command.group
            lines += ["", f"## {group}", "", "| keys | what |", "|---|---|"]
        keys = " or ".join(f"`{k}`" for k in command.keys) or "–"
        lines.append(f"| {keys} | {command.text.removesuffix(' …')} |")
    lines += [
        "",
        "## Pointer",
        "",
        "| gesture | what |",
        "|---|---|",
        "| wheel on the timeline | zoom at the pointer |",
        "| Shift and wheel, or middle drag | move along the reel |",
        "| drag a point's diamond | move the point; what is tied to it follows |",
        "| double click among the points | place a point by hand |",
        "| drag a pin's stitch | pin the cue to another point |",
        "| click or sweep accent cells | paint or clear them |",
        "| drag up or down in an accent cell | its strength |",
        "| click a row's name | its rule, amount, muting, removal |",
        "| right click a clip | its commands |",
        "| wheel on the song's rhythm | zoom at the pointer, from the whole song to a millisecond |",
        "| drag along the bar numbers | mark a stretch, snapped to beats; Alt does not snap |",
        "| double click a section | mark it |",
        "| drag over the wave | select points; Shift or Ctrl and click adds |",
        "| drag a selected point's sign | move the selected points, snapped to attacks; Alt does not snap |",
        "| drag the song strip's window or its sides | use another stretch; Alt does not snap |",
        "| drag on the speed graph | change the speed; Alt does not snap |",
    ]
    return "\n".join(lines) + "\n"
