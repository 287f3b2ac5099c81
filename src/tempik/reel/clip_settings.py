"""The settings of clips and of the reel as a whole that have one value each."""

from __future__ import annotations

from tempik.settings import Setting, by_name

MOST_SPLIT_S = 10.0  # that a clip's sound leads or trails its picture by
# Where a picture stands in the frame, and what is cut off it; the last four are `Framing.crop`.
PLACE_SETTINGS = by_name(
    Setting("zoom", "zoom", 1.0, 0.01, 100, within=(0.05, 20), digits=1, does="About the frame's middle"),
    Setting(
        "x",
        "across",
        0.0,
        -100,
        100,
        within=(-3, 3),
        digits=1,
        step=1,
        does="To the right, in shares of the frame's width",
    ),
    Setting(
        "y", "down", 0.0, -100, 100, within=(-3, 3), digits=1, step=1, does="Down, in shares of the frame's height"
    ),
    Setting("turn_deg", "turn", 0.0, -36_000, 36_000, "°", within=(-360, 360), digits=1, step=1, does="Clockwise"),
)
CROP_SETTINGS = by_name(
    *(
        Setting(side, title, 0.0, 0, 0.98, digits=1, step=1, does=f"How much of the picture is cut off at its {side}")
        for side, title in (("left", "crop left"), ("top", "top"), ("right", "right"), ("bottom", "bottom"))
    )
)
FRAMING_SETTINGS = by_name(
    Setting(
        "fit",
        "fit",
        "cover",
        choices=("cover", "contain", "stretch"),
        titles=("Cover", "Contain", "Stretch"),
        does="How the picture fills the frame",
    ),
    Setting(
        "ease",
        "ease",
        "soft",
        choices=("soft", "even", "slow start", "slow end"),
        does="How the movement begins and ends",
    ),
)
CLIP_SETTINGS = by_name(
    Setting("opacity", "opacity", 1.0, does="How much of it shows; with keys, at the playhead", step=1)
)
FOLLOW_SETTINGS = by_name(
    Setting("x", "across", 0.5, step=1, does="Where in the frame the subject is kept, from the left"),
    Setting("y", "down", 0.45, step=1, does="Where in the frame the subject is kept, from the top"),
    Setting("calm", "calm", 0.6, 0, 10, "s", digits=1, does="How much of the way is smoothed away"),
)
CLIP_SOUND_SETTINGS = by_name(
    Setting("on", "heard", False, does="The clip's own sound is heard"),
    Setting("gain_db", "gain", 0.0, -60, 24, "dB", digits=1, step=1, does="Gain of the clip's sound"),
    Setting(
        "pitch", "pitch", "preserved", choices=("preserved", "follows"), titles=("pitch kept", "pitch follows"),
        does="As high as filmed at any speed, or falling and rising with it",
    ),
    Setting("fade_in_s", "fade in", 0.0, 0, 600, "s", digits=2, does="Of the clip's sound"),
    Setting("fade_out_s", "fade out", 0.0, 0, 600, "s", digits=2, does="Of the clip's sound"),
    Setting("lead_s", "lead", 0.0, -MOST_SPLIT_S, MOST_SPLIT_S, "s", digits=2, does="How long it is heard before its picture"),
    Setting("trail_s", "trail", 0.0, -MOST_SPLIT_S, MOST_SPLIT_S, "s", digits=2, does="How long it is heard after its picture"),
    Setting("crossfade_ms", "crossfade", 5.0, 0, 200, "ms", digits=1, does="At the edges of the clip's sound"),
)  # fmt: skip
REEL_SETTINGS = by_name(
    Setting("amount", "amount of all accents", 1.0, 0, 2, does="How much of all accents there is"),
    Setting(
        "shutter_deg", "shutter", 0.0, 0, 360, "°", step=45,
        does="Motion blur of all that moves: shakes, punches, framing moves. 180 is a film camera's, 0 none",
    ),
    Setting("crossfade_ms", "crossfade", 5.0, 0, 200, "ms", digits=1, does="Crossfade between the sounds of the reel's clips"),
)  # fmt: skip
