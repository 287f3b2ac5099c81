"""The menus of sounds: of the shelf's, of lanes and tracks, of clips."""

from __future__ import annotations

from msgspec.structs import replace
from PySide6.QtWidgets import QInputDialog, QMenu, QWidget

from tempik.desktop.commands.drafting import add_lane_entries
from tempik.desktop.commands.sounds import SoundCommands, remove_sound_clip, split_sound_clip
from tempik.edit.sounds import clips, files, lanes, mixing
from tempik.edit.sounds.clip_sound import with_clip_sound_values
from tempik.reel import Rule, SoundFile, by_id
from tempik.timeline.sound_triggers import channel_names

SEAMS_MS = (0.0, 2.0, 5.0, 20.0, 50.0, 100.0)
ON: tuple[tuple[str, Rule], ...] = (
    ("on every cut", Rule("cuts")),
    ("on every transition", Rule("transitions")),
    ("on every fourth point", Rule(every=4)),
    ("on the first beat of the bar", Rule("bars", beats=(1,))),
    ("on drops", Rule("drops")),
    ("where I paint it", Rule("hand")),
)


def sound_menu(commands: SoundCommands, sound: str, parent: QWidget) -> QMenu:
    """Return what can be done with a sound of the shelf."""
    menu, reel = QMenu(parent), commands.project.reel
    for text, rule in ON:
        menu.addAction(f"A lane {text}").triggered.connect(lambda _=False, r=rule: commands.add_lane(sound, r))
    menu.addSeparator()
    menu.addAction("Lay it at the playhead").triggered.connect(lambda: commands.lay_here(sound))
    if commands.project.selection.sound_lane is not None:
        menu.addAction("Use it for the chosen lane").triggered.connect(lambda: commands.use_for_lane(sound))
        menu.addAction("One more of the chosen lane, by turns").triggered.connect(
            lambda: commands.use_for_lane(sound, also=True)
        )
    own = by_id(reel.sounds, sound)
    if own is not None:
        menu.addSeparator()
        menu.addAction("Words to find it by …").triggered.connect(lambda: _ask_tag(commands, own, parent))
        menu.addAction("Take it off the shelf").triggered.connect(
            lambda: commands.project.change("Sound off the shelf", lambda r: files.without_sound_file(r, sound))
        )
    return menu


def _ask_tag(commands: SoundCommands, own: SoundFile, parent: QWidget) -> None:
    words, given = QInputDialog.getText(parent, own.name, "Words to find it by", text=own.tag)
    if given:
        commands.project.change("Sound tagged", lambda reel: files.with_tag(reel, own.id, words))


def channel_menu(commands: SoundCommands, channel: str, parent: QWidget) -> QMenu:
    """Return the menu of a sound lane or track."""
    menu, reel = QMenu(parent), commands.project.reel
    commands.project.selection.select_channel(channel)
    if channel not in channel_names(reel):
        return menu
    values = mixing.channel_values(reel, channel)
    for text, name, on in (
        ("muted", "muted", values.muted),
        ("solo", "solo", values.solo),
        ("the song ducks under it", "ducks", values.ducks),
    ):
        action = menu.addAction(text)
        action.setCheckable(True)
        action.setChecked(on)
        action.triggered.connect(
            lambda _=False, n=name, o=on, t=text: commands.project.change(
                t.capitalize(), lambda r: mixing.with_channel(r, channel, **{n: not o})
            )
        )
    lane = by_id(reel.sound_lanes, channel)
    if lane is not None:
        add_lane_entries(menu, commands.project, lane)
    menu.addSeparator()
    if lane is not None:
        _fill_lane_menu(commands, menu, channel)
    else:
        _fill_track_menu(commands, menu, channel)
    return menu


def _fill_lane_menu(commands: SoundCommands, menu: QMenu, lane: str) -> None:
    for text, act in (
        ("Shift by a point", commands.shift_triggers),
        ("Another draw of its variations", commands.redraw_triggers),
        ("Paint by lot", commands.randomise_triggers),
        ("Clear painted steps", commands.unpaint_triggers),
    ):
        menu.addAction(text).triggered.connect(act)
    menu.addSeparator()
    for text, by in (("Move up", -1), ("Move down", 1)):
        menu.addAction(text).triggered.connect(
            lambda _=False, b=by: commands.project.change(
                "Sound lane moved", lambda reel: lanes.with_sound_lane_moved(reel, lane, b)
            )
        )
    menu.addAction("Remove lane").triggered.connect(commands.remove_sound_lane)


def _fill_track_menu(commands: SoundCommands, menu: QMenu, track: str) -> None:
    found = by_id(commands.project.reel.sound_tracks, track)
    if found is None:
        return
    lock = not found.locked
    menu.addAction("Lock" if lock else "Unlock").triggered.connect(
        lambda: commands.project.change(
            "Sound track locked" if lock else "Sound track unlocked",
            lambda r: clips.with_track_changed(r, track, lambda t: replace(t, locked=lock)),
        )
    )
    menu.addAction("Remove track").triggered.connect(
        lambda: commands.project.change("Sound track removed", lambda reel: clips.without_sound_track(reel, track))
    )


def clip_sound_menu(commands: SoundCommands, clip: str, parent: QWidget) -> QMenu:
    """Return what can be done to a clip's own sound: its pitch, its crossfades, its ends."""
    menu, found = QMenu(parent), by_id(commands.project.reel.clips, clip)
    if found is None:
        return menu
    sound = found.sound

    def offer(over: QMenu, text: str, checked: bool, what: str, **values: object) -> None:
        action = over.addAction(text)
        action.setCheckable(True)
        action.setChecked(checked)
        action.triggered.connect(
            lambda: commands.project.change(what, lambda reel: with_clip_sound_values(reel, [clip], **values))
        )

    for text, pitch in (("pitch preserved", "preserved"), ("pitch follows the speed", "follows")):
        offer(menu, text, sound.pitch == pitch, "Pitch changed", pitch=pitch)
    crossfades = menu.addMenu("crossfade")
    offer(crossfades, "as the reel's", sound.crossfade_ms is None, "Crossfades changed", crossfade_ms=None)
    for ms in SEAMS_MS:
        offer(crossfades, f"{ms:g} ms", sound.crossfade_ms == ms, "Crossfades changed", crossfade_ms=ms)
    menu.addSeparator()
    offer(menu, "no fades", not (sound.fade_in_s or sound.fade_out_s), "Fades taken off", fade_in_s=0.0, fade_out_s=0.0)
    offer(
        menu,
        "ends where its picture does",
        not (sound.lead_s or sound.trail_s),
        "Sound edges back",
        lead_s=0.0,
        trail_s=0.0,
    )
    offer(menu, "heard", sound.on, "Clip's own sound", on=not sound.on)
    return menu


def sound_clip_menu(commands: SoundCommands, clip: str, parent: QWidget) -> QMenu:
    """Return the menu of a sound clip."""
    commands.project.selection.select_sound_clip(clip)
    menu = QMenu(parent)
    found = by_id(commands.project.reel.sound_clips, clip)
    if found is None:
        return menu
    menu.addAction("Hit on the nearest point").triggered.connect(commands.land_clip)
    menu.addAction("Split at the playhead").triggered.connect(lambda: split_sound_clip(commands.project, found))
    for text, name, on in (("backward", "backward", found.backward), ("round and round", "loop", found.loop)):
        action = menu.addAction(text)
        action.setCheckable(True)
        action.setChecked(on)
        action.triggered.connect(lambda _=False, n=name, o=on: commands.change_clip("Sound clip changed", **{n: not o}))
    menu.addSeparator()
    menu.addAction("Remove").triggered.connect(lambda: remove_sound_clip(commands.project, found))
    return menu
