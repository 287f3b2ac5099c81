"""Words of titles set off from the others, joined and parted; what of a title stays with its words while its text changes; looks."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from difflib import SequenceMatcher

from msgspec.structs import replace

from tempik.digits import plural
from tempik.edit.clips.slots import clip_of, with_clips
from tempik.errors import TempikError
from tempik.reel import Clip, Key, Reel, Title, WordStyle
from tempik.reel.validate import title_problems
from tempik.titles.looks import TitleLook
from tempik.titles.words import BOUND, JOINER, PARTED, cleaned, clusters_of, spans_of, words_of

WORD = "word"


def title_of(reel: Reel, clip: str) -> tuple[Clip, Title]:
    """Return a clip and its title. Raises TempikError where it has none."""
    record = clip_of(reel, clip)
    if record.title is None:
        raise TempikError("Select a title first.")
    return record, record.title


def with_title(reel: Reel, clip: Clip, title: Title, sources: Sequence[int | None] | None = None) -> Reel:
    """Return the reel with another title on a clip. Where its text is another, what belongs to a word stays with it: `sources` says for
    each new word which of the old ones it is, None for none; without, it is found by comparing. Raises TempikError for values that cannot
    be."""
    assert clip.title is not None
    keys = clip.keys
    if title.text != clip.title.text:
        old, new = words_of(clip.title.text), words_of(title.text)
        sources = sources if sources is not None else matched(old, new)
        if title.words == clip.title.words:
            title = replace(title, words=_styles_led(title.words, sources))
        if WORD in keys:
            led = _keys_led(keys[WORD], sources) if new else ()
            keys = {n: k for n, k in keys.items() if n != WORD} | ({WORD: led} if led else {})
    message = next(title_problems(title, "This"), None)
    if message is not None:
        raise TempikError(message)
    return with_clips(reel, [replace(clip, title=title, keys=keys)])


def matched(old: Sequence[str], new: Sequence[str]) -> list[int | None]:
    """Return for each new word which of the old ones it is. Of a run of words that were typed over, each is that in its place."""
    out: list[int | None] = [None] * len(new)
    for _, begin, end, first, last in SequenceMatcher(None, old, new, autojunk=False).get_opcodes():
        for number in range(min(end - begin, last - first)):
            out[first + number] = begin + number
    return out


def _styles_led(styles: Sequence[WordStyle], sources: Sequence[int | None]) -> tuple[WordStyle, ...]:
    by_word = {style.word: style for style in styles}
    return tuple(
        replace(by_word[source], word=number)
        for number, source in enumerate(sources)
        if source is not None and source in by_word
    )


def _keys_led(keys: Sequence[Key], sources: Sequence[int | None]) -> tuple[Key, ...]:
    """Return the keys that say how many words are shown, for other words: one that was put in comes with that before it. Points of
    words that went at the end are kept for those that may be typed there."""
    mapped = [(number, source) for number, source in enumerate(sources) if source is not None]
    if not mapped:
        return tuple(keys)
    last_new, last_old = mapped[-1]
    out: list[Key] = []
    for key in keys:
        count = round(key.value)
        shown = [number for number, source in mapped if source < count]
        if count > last_old + 1:
            value = last_new + 1 + count - last_old - 1
        elif not shown:
            continue
        else:
            following = [number for number, _ in mapped if number > shown[-1]]
            value = following[0] if following else last_new + 1
        if not out or value > out[-1].value:
            out.append(replace(key, value=float(value)))
    return tuple(out)


def with_word_style(reel: Reel, clip: str, words: Collection[int], **fields: object) -> Reel:
    """Set words of a title off from the others: `colour` (None: the title's) and `size` (times the title's). Raises TempikError for a
    word that it has not, and for values that cannot be."""
    record, title = title_of(reel, clip)
    count = len(words_of(title.text))
    missing = next((w for w in sorted(words) if not 0 <= w < count), None)
    if missing is not None or not words:
        raise TempikError(f"The title has {plural(count, 'word')}; choose among them.")
    styles = {style.word: style for style in title.words}
    for word in words:
        styles[word] = replace(styles.get(word, WordStyle(word)), **fields)
    kept = tuple(styles[n] for n in sorted(styles) if styles[n] != WordStyle(n))
    return with_title(reel, record, replace(title, words=kept))


def with_words_joined(reel: Reel, clip: str, first: int, last: int) -> Reel:
    """Make one word of some that follow each other: they come together and are set off together. Raises TempikError where there is none to
    join."""
    record, title = title_of(reel, clip)
    text, spans = cleaned(title.text), spans_of(title.text)
    if not 0 <= first < last < len(spans):
        raise TempikError("There is no word to join it with; choose one that another follows.")
    out, at = "", spans[first][0]
    for number in range(first, last):
        end, begin = spans[number][1], spans[number + 1][0]
        between = text[end:begin]
        out += text[at:end] + (BOUND if not between else "" if between == PARTED else JOINER)
        at = begin
    joined = text[: spans[first][0]] + out + text[at:]
    count = len(words_of(joined))
    if count != len(spans) - (last - first):
        raise TempikError("These words cannot be joined; they are kept as they are.")
    sources = [n if n <= first else n + last - first for n in range(count)]
    return with_title(reel, record, replace(title, text=joined), sources)


def with_word_parted(reel: Reel, clip: str, word: int, letters: int | None = None) -> Reel:
    """Make two words of one, after so many of its letters (None: where it was joined, else in its middle): each comes on a point of its
    own. Nothing is seen of it in the text. Raises TempikError where it has no such place."""
    record, title = title_of(reel, clip)
    text, spans = cleaned(title.text), spans_of(title.text)
    if not 0 <= word < len(spans):
        raise TempikError(f"The title has {plural(len(spans), 'word')}; choose one of them.")
    begin, end = spans[word]
    own = text[begin:end]
    joint = next((n for n, c in enumerate(own) if c in (JOINER, BOUND)), None)
    if letters is None and joint is not None:
        own = own[:joint] + (" " if own[joint] == JOINER else "") + own[joint + 1 :]
    else:
        clusters = clusters_of(own)
        at = letters if letters is not None else len(clusters) // 2
        if not 0 < at < len(clusters):
            raise TempikError(f"'{own[:24]}' has {plural(len(clusters), 'letter')}; part it between two of them.")
        own = "".join(clusters[:at]) + PARTED + "".join(clusters[at:])
    parted = text[:begin] + own + text[end:]
    sources: list[int | None] = [n if n <= word else n - 1 for n in range(len(words_of(parted)))]
    return _with_parted(reel, record, replace(title, text=parted), sources, word)


def _with_parted(reel: Reel, clip: Clip, title: Title, sources: list[int | None], word: int) -> Reel:
    """The second half looks as the first does and comes with it."""
    styles = {style.word: style for style in _styles_led(title.words, sources)}
    if word in styles:
        styles[word + 1] = replace(styles[word], word=word + 1)
    led = [None if number == word + 1 else source for number, source in enumerate(sources)]
    return with_title(reel, clip, replace(title, words=tuple(styles[n] for n in sorted(styles))), led)


def look_of(clip: Clip, name: str) -> TitleLook:
    """Return a title's look under a name: how it is set, how its words are set off in turn, and whether they come on points. Raises
    TempikError for a clip without a title."""
    if clip.title is None:
        raise TempikError("Select a title first.")
    styles = {style.word: style for style in clip.title.words}
    count = len(words_of(clip.title.text)) if styles else 0
    turns = tuple(styles.get(n, WordStyle(n)) for n in range(count))
    return TitleLook(name, "", replace(clip.title, text="", words=()), "each" if WORD in clip.keys else "", turns)
