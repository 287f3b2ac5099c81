"""What verbs, options and values of the command line were called in the version before: taken for one version more, and said.

With the next version this module goes.
"""

from __future__ import annotations

from collections.abc import Sequence

VERBS = {"joins": "transitions"}
# By verb, as it is called today.
OPTIONS: dict[str, dict[str, str]] = {
    "accents": {"--row": "--lane"},
    "draft": {"--keep": "--lock", "--let-go": "--unlock"},
    "layers": {"--again": "--repeat"},
    "sound": {"--row": "--lane"},
    "speed": {"--seam": "--crossfade", "--clip-seam": "--clip-crossfade"},
}
# By verb and option: how values began, and how they begin today.
VALUES: dict[tuple[str, str], dict[str, str]] = {
    ("accents", "--on"): {"joins": "transitions"},
    ("draft", "--lock"): {"rows:": "lanes:"},
    ("draft", "--unlock"): {"rows:": "lanes:"},
    ("sound", "--on"): {"joins": "transitions", "row:": "lane:"},
    ("sound", "--pitch"): {"kept": "preserved"},
    ("speed", "--pitch"): {"kept": "preserved"},
}


def called_today(given: Sequence[str]) -> tuple[list[str], list[str]]:
    """Return a command line with the names of today, and a sentence for each that was called otherwise."""
    out, sentences = list(given), []

    def anew(old: str, new: str) -> str:
        sentences.append(f"{old} is now called {new}; the old name goes with the next version.")
        return new

    if out and out[0] in VERBS:
        out[0] = anew(out[0], VERBS[out[0]])
    verb = out[0] if out else ""
    options = OPTIONS.get(verb, {})
    for number, text in enumerate(out[1:], 1):
        name, equals, value = text.partition("=")
        if name in options:
            name = anew(name, options[name])
            out[number] = f"{name}{equals}{value}"
        at = number if equals else number + 1
        if (verb, name) in VALUES and at < len(out):
            value = value if equals else out[at]
            for old, new in VALUES[verb, name].items():
                if value == old or (old.endswith(":") and value.startswith(old)):
                    anew(f"{name} {old}", f"{name} {new}")
                    out[at] = f"{name}=" * bool(equals) + new + value.removeprefix(old)
    return out, sentences
