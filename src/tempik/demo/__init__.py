"""The demo: a made-up smithy's open day, its song and footage drawn by code with every beat and cue known."""

from tempik.demo.write import PROJECT, demo_is_whole, write_demo

__all__ = ["PROJECT", "demo_is_whole", "write_demo"]
