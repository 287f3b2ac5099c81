"""What is remembered: made once for as long as it is asked for, and gone when it is not."""

from msgspec.structs import replace

from tempik import memo
from tempik.edit.clips import place, trim
from tempik.edit.speed.speed import with_constant
from tempik.memo import LEAST_CROWD, Crowd, Memory
from tempik.reel import Reel
from tempik.timeline import placing
from tempik.timeline.timeline import Timeline


class Iron:
    """Something that is told by identity."""


def test_what_is_asked_for_again_is_made_once() -> None:
    store: Memory[int] = Memory(3)
    crowd: Crowd[int] = Crowd(30_000)
    for kept in (store, crowd):
        made: list[str] = []
        iron, other = Iron(), Iron()

        def asked(what: Iron, number: int, made: list[str] = made, kept: Memory[int] | Crowd[int] = kept) -> int:
            return kept.get((what,), (number,), lambda: made.append("made") or len(made))  # type: ignore[func-returns-value]

        assert asked(iron, 1) == asked(iron, 1) == 1
        assert asked(iron, 2) == 2 and asked(other, 1) == 3, "another value or another object is another result"
        kept.forget()
        assert asked(iron, 1) == 4


def test_identities_stay_those_of_what_is_remembered() -> None:
    """An object that went could lend its place in memory to another, which would then be taken for it."""
    crowd: Crowd[int] = Crowd(30_000)
    for number in range(LEAST_CROWD // 2):
        assert crowd.get((Iron(),), (), lambda number=number: number) == number  # type: ignore[misc]


def test_a_crowd_lets_go_of_what_was_not_asked_for_while_as_many_again_were_made() -> None:
    crowd: Crowd[int] = Crowd(100_000)
    always, once = Iron(), Iron()
    made = {"always": 0, "once": 0}

    def make(what: str) -> int:
        made[what] += 1
        return made[what]

    crowd.get((once,), (), lambda: make("once"))
    for number in range(10 * LEAST_CROWD):
        crowd.get((always,), (), lambda: make("always"))
        crowd.get((), (number,), lambda: 0)
    assert made["always"] == 1, "what is in use is never made again"
    assert len(crowd._young) + len(crowd._old) <= 2 * LEAST_CROWD + 2
    assert crowd.get((once,), (), lambda: make("once")) == 2


def test_a_crowd_grows_to_what_a_reel_needs_and_no_further() -> None:
    crowd: Crowd[int] = Crowd(30_000)
    made: list[int] = []
    try:
        memo.expect(5000)
        crowd.forget()
        for _ in range(4):
            for number in range(5000):
                crowd.get((), (number,), lambda number=number: made.append(number) or number)  # type: ignore[misc, func-returns-value]
        assert len(made) == 5000
        for number in range(100_000):
            crowd.get((), (number,), lambda: 0)
        assert len(crowd._young) + len(crowd._old) <= 30_000
    finally:
        memo.expect(0)


def test_a_crowd_of_many_a_clip_has_room_for_them() -> None:
    """Records are looked at with each edit, several to a clip."""
    crowd: Crowd[int] = Crowd(48_000, 12_000)
    made = [0]

    def make() -> int:
        made[0] += 1
        return 0

    for _ in range(12):
        for number in range(9000):
            crowd.get((), (number,), make)
    assert made[0] == 9000


def test_states_of_a_reel_that_are_long_past_do_not_pile_up(reel: Reel) -> None:
    """Each split and each speed that was ever tried stayed until there were 24,000 of them."""
    clip = reel.clips[1].id
    for number in range(3000):
        tried = with_constant(reel, [clip], 0.5 + number / 10_000)
        assert Timeline(tried).placed_clip(clip) is not None
    for crowd in (placing._PLACED, placing._ALIKE):
        assert len(crowd._young) + len(crowd._old) <= 2 * LEAST_CROWD + 2
    assert Timeline(reel).placed == Timeline(reel).placed


def test_a_row_is_laid_the_same_whether_it_is_remembered_or_not(reel: Reel) -> None:
    """What was laid before is taken over clip by clip: never a clip that has changed, or whose neighbour has."""
    filled = place.filled(replace(reel, clips=()), [f.id for f in reel.footage])
    edits = [
        lambda r: trim.with_split(r, [40, 100, 171]),
        lambda r: trim.without_clips(r, [r.clips[3].id]),
        lambda r: trim.without_clips(r, [r.clips[2].id], ripple=True),
        lambda r: with_constant(r, [r.clips[0].id], 0.25),
        lambda r: replace(r, length_s=r.length_s - 1.5),
        lambda r: replace(r, clips=r.clips[::-1]),
        lambda r: place.with_clip_at(r, r.footage[0].id, 33, 0, "over", 0.5),
    ]

    def laid(state: Reel) -> list[tuple[object, ...]]:
        return [
            (p.clip, p.footage, p.first, p.end, p.begin, p.until, p.map.start_s, p.map.curve, p.map.part, p.ties)
            for p in Timeline(state).placed
        ]

    state, remembered = filled, []
    for edit in edits:
        state = edit(state)  # type: ignore[no-untyped-call]
        remembered.append((state, laid(state)))
    for state, placed in reversed(remembered):  # back again, as by undoing
        assert laid(state) == placed
    for state, placed in remembered:
        memo.forget_all()
        assert laid(state) == placed
