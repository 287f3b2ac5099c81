"""A title, or a part of it, as pixels: letters with outline, shadow and box behind them, drawn for the size they are seen at."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING, NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from tempik.cached import cached_within
from tempik.reel.title import Title
from tempik.titles.fonts import bitmap_size, font_at
from tempik.titles.layout import Block, Standing, TextRun, laid_out, width_of
from tempik.titles.words import clusters_of, joins

if TYPE_CHECKING:
    from PIL import Image

Colours = NDArray[np.uint8]
SPACE_EM = 0.12  # about half of what lies between two words
MOST_PX = 8192  # of a side of what is drawn: beyond it there is no picture that could show it


class Sprite(NamedTuple):
    """A drawn part: RGBA, shape (height, width, 4), its colours not multiplied by how far it covers; its top left corner in
    pixels from the block's middle."""

    rgba: Colours
    left: int
    top: int


def middle_of(block: Block) -> tuple[float, float]:
    """Return the middle of a title in ems from its block's corner."""
    return block.width / 2, block.height / 2


@cached_within(96 << 20, lambda sprite: sprite.rgba.nbytes if sprite is not None else 0)
def drawn(
    title: Title, em_px: float, part: tuple[str, int] = ("all", 0), lit: bool = False, alone: bool = False
) -> Sprite | None:
    """Return a part of a title: `all`, the letters of a `line` or a `word`, the `box` behind all, or `first` so many
    letters of a `word`, coded as word × 1000 + letters. `lit` draws it in its other colour, `alone` sets the word by
    itself. None where there is nothing to draw."""
    what, number = part
    word = number if what == "word" else number // 1000
    block = laid_out(title, word if alone else None)
    chosen: list[Standing] = list(block.pieces)
    if what == "line":
        chosen = [p for p in chosen if p.line == number]
    elif what in ("word", "first"):
        chosen = [p for p in chosen if p.word == word]
        if what == "first":
            chosen = _first_letters(chosen, number % 1000)
    elif what == "box":
        chosen = []
    with_box = title.box > 0 and (what in ("all", "box") or alone)
    if not chosen and not with_box:
        return None
    canvas = _canvas(title, block, chosen, em_px, with_box)
    if canvas is None:
        return None
    left, top, wide, height_px = canvas
    own = {s.word: s.colour for s in title.words if s.colour is not None}
    colours = {p.word: title.lit_colour if lit else own.get(p.word, title.colour) for p in chosen}
    letters = _letters(title, chosen, em_px, canvas, colours)
    made = letters
    if title.shadow > 0 and chosen:
        made = _over(letters, _shadow(title, letters, em_px))
    if with_box:
        made = _over(made, _box(title, block, em_px, (left, top, wide, height_px)))
    middle_x, middle_y = middle_of(block)
    return Sprite(made, left - round(middle_x * em_px), top - round(middle_y * em_px))


def _first_letters(pieces: list[Standing], count: int) -> list[Standing]:
    out = []
    for piece in pieces:
        runs = []
        for run in piece.runs:
            letters = clusters_of(run.text)
            if count > 0:
                shown = "".join(letters[:count])
                # From the right end, where the text runs to the left.
                x = run.x + (width_of(run.text, run.face, True) - width_of(shown, run.face, True) if run.rtl else 0.0)
                runs.append(run._replace(text=shown, x=x))
            count -= len(letters)
        if runs:
            out.append(piece._replace(runs=tuple(runs)))
    return out


def letters_in(title: Title, word: int) -> int:
    """Return how many letters a word has, as a reader counts them."""
    return sum(len(clusters_of(r.text)) for p in laid_out(title).pieces if p.word == word for r in p.runs)


def _canvas(
    title: Title, block: Block, chosen: list[Standing], em_px: float, with_box: bool
) -> tuple[int, int, int, int] | None:
    """Return the room that a part is drawn in: left, top, width and height, in pixels from the block's corner."""
    reach = title.outline + 0.5  # letters may swing out of their line
    lefts = [p.x for p in chosen] + ([-title.box_pad] if with_box else [])
    rights = [p.x + p.width for p in chosen] + ([block.width + title.box_pad] if with_box else [])
    tops = [p.y - block.ascent * p.scale for p in chosen] + ([-title.box_pad] if with_box else [])
    ends = [p.y + block.descent * p.scale for p in chosen] + ([block.height + title.box_pad] if with_box else [])
    soft = 3 * title.shadow_soft if title.shadow > 0 else 0.0
    across, down = (abs(v) + soft if title.shadow > 0 else 0.0 for v in (title.shadow_x, title.shadow_y))
    left = math.floor((min(lefts) - reach - across) * em_px)
    top = math.floor((min(tops) - reach - down) * em_px)
    wide = math.ceil((max(rights) + reach + across) * em_px) - left
    height_px = math.ceil((max(ends) + reach + down) * em_px) - top
    if wide < 1 or height_px < 1:
        return None
    return left, top, min(wide, MOST_PX), min(height_px, MOST_PX)


def _letters(
    title: Title, chosen: list[Standing], em_px: float, canvas: tuple[int, int, int, int], colours: dict[int, str]
) -> Colours:
    from PIL import Image, ImageDraw  # not at start-up

    left, top, wide, height_px = canvas
    stroke = title.outline * em_px
    ground = title.outline_colour if stroke > 0 else next(iter(colours.values()), title.colour)
    image = Image.new("RGBA", (wide, height_px), ground + "00")
    draw = ImageDraw.Draw(image)
    if stroke <= 0 and len(set(colours.values())) > 1:
        # Soft edges of letters are mixed with what is clear about them: that has their own colour.
        for piece, space in [*((p, SPACE_EM) for p in chosen), *((p, 0.0) for p in chosen)]:
            reach, x, y = space * piece.scale, piece.x, piece.y
            box = (x - reach, y - 1.5 * piece.scale, x + piece.width + reach, y + piece.scale)
            at = tuple(v * em_px - (top if n % 2 else left) for n, v in enumerate(box))
            draw.rectangle(at, fill=colours[piece.word] + "00")
    for outlined in (True, False) if stroke > 0 else (False,):
        for piece in chosen:
            own_px = em_px * piece.scale
            for run in piece.runs:
                at = (piece.x * em_px + run.x * own_px - left, piece.y * em_px - top)
                if bitmap_size(run.face):
                    if not outlined:
                        _draw_bitmap(image, run, at, own_px)
                    continue
                for text, x in _spread(run, title.letter):
                    draw.text(
                        (at[0] + x * own_px, at[1]), text, font=font_at(run.face, own_px), anchor="ls",
                        fill=ground if outlined else colours[piece.word], stroke_width=stroke if outlined else 0,
                        direction="rtl" if run.rtl else "ltr", embedded_color=True,
                    )  # fmt: skip
    return np.asarray(image, dtype=np.uint8)


def _spread(run: TextRun, letter: float) -> list[tuple[str, float]]:
    """Return the letters of a run with their places in ems where there is room between them, else the run as one."""
    if not letter or joins(run.text):
        return [(run.text, 0.0)]
    letters = clusters_of(run.text)
    out = []
    for number, cluster in enumerate(letters):
        if run.rtl:
            x = width_of("".join(letters[number + 1 :]), run.face, True) + letter * (len(letters) - 1 - number)
        else:
            x = width_of("".join(letters[:number]), run.face, False) + letter * number
        out.append((cluster, x))
    return out


def _draw_bitmap(image: Image.Image, run: TextRun, at: tuple[float, float], em_px: float) -> None:
    """Draw text of a font of pictures: at its own size, then scaled."""
    from PIL import Image, ImageDraw

    size = bitmap_size(run.face)
    font = font_at(run.face, em_px)
    wide = math.ceil(font.getlength(run.text)) + size
    own = Image.new("RGBA", (wide, 2 * size), (0, 0, 0, 0))
    ImageDraw.Draw(own).text((0, size * 1.5), run.text, font=font, anchor="ls", embedded_color=True)
    by = em_px / size
    small = own.resize((max(1, round(wide * by)), max(1, round(2 * size * by))), Image.Resampling.LANCZOS)
    image.alpha_composite(small, (max(0, round(at[0])), max(0, round(at[1] - size * 1.5 * by))))


def _shadow(title: Title, letters: Colours, em_px: float) -> Colours:
    cover = letters[:, :, 3]
    shift = np.array([[1.0, 0, title.shadow_x * em_px], [0, 1.0, title.shadow_y * em_px]])
    cast = np.asarray(cv2.warpAffine(cover, shift, cover.shape[::-1]), dtype=np.uint8)
    sigma = title.shadow_soft * em_px
    if sigma >= 0.3:
        cast = np.asarray(cv2.GaussianBlur(cast, (0, 0), sigma, borderType=cv2.BORDER_CONSTANT), dtype=np.uint8)
    return _tinted(np.asarray(cv2.convertScaleAbs(cast, alpha=title.shadow), dtype=np.uint8), title.shadow_colour)


def _box(title: Title, block: Block, em_px: float, canvas: tuple[int, int, int, int]) -> Colours:
    from PIL import Image, ImageDraw

    left, top, wide, height_px = canvas
    times = 4  # drawn larger, so that its round corners are smooth
    image = Image.new("L", (wide * times, height_px * times), 0)
    corners = (-title.box_pad, -title.box_pad, block.width + title.box_pad, block.height + title.box_pad)
    at = [(v * em_px - (left if n % 2 == 0 else top)) * times for n, v in enumerate(corners)]
    ImageDraw.Draw(image).rounded_rectangle(
        (at[0], at[1], at[2] - 1, at[3] - 1), title.box_round * em_px * times, fill=255
    )
    cover = np.asarray(image.resize((wide, height_px), Image.Resampling.BOX), dtype=np.uint8)
    return _tinted(np.asarray(cv2.convertScaleAbs(cover, alpha=title.box), dtype=np.uint8), title.box_colour)


def _tinted(cover: NDArray[np.uint8], colour: str) -> Colours:
    out = np.empty((*cover.shape, 4), np.uint8)
    out[:, :, :3] = [int(colour[i : i + 2], 16) for i in (1, 3, 5)]
    out[:, :, 3] = cover
    return out


def _over(above: Colours, below: Colours) -> Colours:
    """Return one part over another, by the W3C's source-over on colours that are not multiplied."""
    a, b = (x[:, :, 3:].astype(np.float32) / 255 for x in (above, below))
    cover = a + b * (1 - a)
    mixed = above[:, :, :3] * a + below[:, :, :3] * (b * (1 - a))
    colours = np.where(cover > 1e-4, mixed / np.maximum(cover, 1e-4), above[:, :, :3])
    return np.concatenate([np.round(colours), np.round(cover * 255)], axis=2).astype(np.uint8)
