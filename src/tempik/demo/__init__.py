"""The demo: a made-up smithy's open day, its song and footage drawn by code with every beat and cue known."""

from tempik.demo.write import OTHERS, PROJECT, demo_can_open, demo_is_whole, draft_anew, write_demo

__all__ = ["OTHERS", "PROJECT", "demo_can_open", "demo_is_whole", "draft_anew", "write_demo"]
