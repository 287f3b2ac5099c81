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
    Command("Edit", "show_steps", "All steps done …", ("Ctrl+H",)),
    Command("Edit", "copy_clips", "Copy clips", ("Ctrl+C",), "clips"),
    Command("Edit", "cut_clips", "Cut clips out, to be pasted", ("Ctrl+X",), "clips"),
    Command("Edit", "paste_clips", "Paste clips at the playhead, over what is there", ("Ctrl+V",), "song"),
    Command("Edit", "paste_insert", "Paste clips at the playhead, what follows moves on", ("Ctrl+Shift+V",), "song"),
    Command("Edit", "paste_attributes", "Paste speed and framing to the selected clips", ("Ctrl+Alt+V",), "clips"),
    Command("Edit", "paste_speed", "Paste the speed to the selected clips", (), "clips"),
    Command("Edit", "paste_framing", "Paste the framing to the selected clips", (), "clips"),
    Command("Edit", "duplicate", "Duplicate on the next point", ("Ctrl+B",), "clips"),
    Command("Edit", "repeat", "Repeat the clip …", ("M",), "clips"),
    Command("Edit", "group", "Group clips", ("Ctrl+G",), "clips"),
    Command("Edit", "ungroup", "Take the group apart", ("Ctrl+Shift+G",), "clips"),
    Command("Select", "select_all", "Select all clips, or all points on the Rhythm page", ("Ctrl+A",), "song"),
    Command("Select", "select_clip_here", "Select the clip at the playhead", ("E",), "clips"),
    Command("Select", "next_clip", "Next clip", ("PgDown",), "clips"),
    Command("Select", "previous_clip", "Previous clip", ("PgUp",), "clips"),
    Command("Select", "next_clip_also", "Next clip too", ("Shift+PgDown",), "clips"),
    Command("Select", "previous_clip_also", "Previous clip too", ("Shift+PgUp",), "clips"),
    Command("Select", "select_from_here", "All clips from the playhead on", ("Ctrl+Shift+A",), "clips"),
    Command("Select", "select_no_clip", "Select nothing", ("Escape",), "clips"),
    Command("Place", "fill_in_order", "Fill the slots between points, footage in order", ("Q",), "song"),
    Command("Place", "fill_shuffled", "Fill the slots, footage shuffled (again: another draw)", ("Shift+Q",), "song"),
    Command("Place", "fill_strongest", "Fill the slots, first cues on the strongest points", ("Ctrl+Shift+Q",), "song"),
    Command("Place", "place_cue_here", "Place footage, its cue on the nearest point", ("V",), "song"),
    Command("Place", "insert_footage", "Insert footage at the playhead", ("I",), "song"),
    Command("Place", "overwrite_footage", "Lay footage at the playhead over what is there", ("O",), "song"),
    Command("Place", "swap_footage", "Swap the clips' footage for the shelf's", ("Z",), "clips"),
    Command("Place", "freeze", "Hold the frame at the playhead …", ("F",), "clips"),
    Command("Place", "freeze_end", "Hold the clip's last frame …", ("Shift+F",), "clips"),
    Command("Place", "add_blank", "A blank at the playhead …", ("B",), "song"),
    Command("Place", "add_solid", "A solid colour at the playhead …", ("Shift+B",), "song"),
    Command("Place", "add_picture_row", "Add a picture row", (), "song"),
    Command("Place", "row_up", "Clips to the picture row above", ("Alt+Up",), "clips"),
    Command("Place", "row_down", "Clips to the picture row below", ("Alt+Down",), "clips"),
    Command("Place", "fill_all_clips", "Fill the frame with all clips", (), "clips"),
    Command("Cut", "split", "Split at the playhead", ("S",), "clips"),
    Command("Cut", "split_at_points", "Split at every point", ("Shift+S",), "clips"),
    Command("Cut", "remove_before", "Remove what is before the playhead in the clip, close up", ("A",), "clips"),
    Command("Cut", "remove_after", "Remove what is after the playhead in the clip, close up", ("D",), "clips"),
    Command("Cut", "remove_before_gap", "Remove what is before the playhead, leave a gap", ("Shift+A",), "clips"),
    Command("Cut", "remove_after_gap", "Remove what is after the playhead, leave a gap", ("Shift+D",), "clips"),
    Command(
        "Cut",
        "remove_clip",
        "Remove the clip, the one before runs on; points on the Rhythm page",
        ("Delete", "Backspace"),
        "song",
    ),
    Command("Cut", "remove_and_close_up", "Remove clips, close up", ("Ctrl+Delete",), "clips"),
    Command("Cut", "remove_leave_gap", "Remove clips, leave a gap", ("Alt+Delete",), "clips"),
    Command("Cut", "set_frames", "Exactly so many frames …", ("Y",), "clips"),
    Command("Cut", "set_beats", "Exactly so many beats …", ("Shift+Y",), "clips"),
    Command("Cut", "overlap", "Overlap neighbours …", (), "clips"),
    Command("Cut", "stagger", "A staircase: each begins so many frames later …", (), "clips"),
    Command("Cut", "roll_back", "Move the cut a frame earlier", ("Ctrl+Shift+Left",), "clips"),
    Command("Cut", "roll_on", "Move the cut a frame later", ("Ctrl+Shift+Right",), "clips"),
    Command("Cut", "slip_back", "Show the footage a frame earlier in the same slot", ("[",), "clips"),
    Command("Cut", "slip_on", "Show the footage a frame later in the same slot", ("]",), "clips"),
    Command("Cut", "slip_far_back", "Slip ten frames earlier", ("{",), "clips"),
    Command("Cut", "slip_far_on", "Slip ten frames later", ("}",), "clips"),
    Command("Cut", "slide_back", "Slide the clip a frame earlier between its neighbours", ("Alt+Left",), "clips"),
    Command("Cut", "slide_on", "Slide the clip a frame later between its neighbours", ("Alt+Right",), "clips"),
    Command("Cue", "cue_here", "Make this frame the cue, on the nearest point; on the Footage page: set a cue", ("C",)),
    Command("Cue", "cue_here_too", "Make this frame one more cue of the clip: both land", ("Shift+C",), "clips"),
    Command("Cue", "pin_next", "Pin the clip's cues to the next point", ("Ctrl+Right",), "clips"),
    Command("Cue", "pin_previous", "Pin the clip's cues to the previous point", ("Ctrl+Left",), "clips"),
    Command("Cue", "unpin", "Unpin the clips", ("U",), "clips"),
    Command("Cue", "reverse", "Reverse the clips", ("R",), "clips"),
    Command("Cue", "toggle_flash", "Toggle a flash on the nearest point", ("X",), "song"),
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
    Command("View", "show_frame", "Frame page", ("F5",)),
    Command("View", "show_check", "Check page", ("F6",)),
    Command("View", "toggle_guides", "Safe-area guides", ("G",)),
    Command("View", "show_commands", "All commands …", ("Ctrl+K",)),
    Command("View", "show_shortcuts", "Change keys …"),
)

# The right-click menu of clips: a heading ('' for none) and the commands under it.
CLIP_MENU: tuple[tuple[str, tuple[str, ...]], ...] = (
    ("", ("split", "remove_before", "remove_after", "set_frames", "set_beats")),
    ("Cue and pins", ("cue_here", "cue_here_too", "pin_next", "pin_previous", "unpin")),
    ("Pieces", ("copy_clips", "duplicate", "repeat", "freeze", "freeze_end", "overlap", "stagger", "group", "ungroup")),
    ("Paste to it", ("paste_attributes", "paste_speed", "paste_framing")),
    ("Row", ("row_up", "row_down")),
    ("", ("reverse", "remove_clip", "remove_and_close_up", "remove_leave_gap")),
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
        "| drag a pin's stitch or a cue's triangle | pin the cue to another point |",
        "| drag a clip | move it, up and down to other rows; it snaps, Alt does not |",
        "| Ctrl and drag a clip | slip: other footage in the same slot |",
        "| Shift and drag a clip | slide: the slot moves between its neighbours |",
        "| drag a cut | roll: both neighbours follow |",
        "| Ctrl and drag an edge | trim that clip alone |",
        "| Shift and drag an edge | trim, and what follows moves along |",
        "| Ctrl and click, Shift and click clips | add one, add all up to it |",
        "| double click a grouped clip | select it alone |",
        "| drag footage from the shelf or files onto the timeline | place it; on a point its cue lands there |",
        "| drag in the preview on the Frame page | place the picture; the wheel zooms, double click centres |",
        "| click or sweep accent cells | paint or clear them |",
        "| drag up or down in an accent cell | its strength |",
        "| click a row's name | its rule, amount, muting, locking, removal |",
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
