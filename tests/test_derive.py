"""What follows from a reel is made once for as long as it is asked for, is the same from every thread, and goes when it is not asked for."""

import sys
from collections.abc import Iterator
from threading import Thread

import pytest
from msgspec.structs import replace

from tempik.derive import DERIVED, LEAST, STATES, Graph, Stage
from tempik.edit.clips import place, trim
from tempik.edit.speed.speed import with_constant
from tempik.reel import Reel
from tempik.timeline.timeline import Timeline, timeline_of
from tempik.transitions import new_transition

NUMBERS: Stage[int] = Stage("numbers")
OTHERS: Stage[int] = Stage("others")


class Iron:
    """Something that is told by identity."""


@pytest.fixture
def switching() -> Iterator[None]:
    """Threads take turns every microsecond."""
    before = sys.getswitchinterval()
    sys.setswitchinterval(1e-6)
    yield
    sys.setswitchinterval(before)


def test_what_is_asked_for_again_is_made_once() -> None:
    graph, made = Graph(), list[str]()
    iron, other = Iron(), Iron()

    def asked(what: Iron, number: int, stage: Stage[int] = NUMBERS) -> int:
        def make() -> int:
            made.append("made")
            return len(made)

        return graph.get(stage, (what,), (number,), make)

    assert asked(iron, 1) == asked(iron, 1) == 1
    assert asked(iron, 2) == 2 and asked(other, 1) == 3, "another value or another object is another result"
    assert asked(iron, 1, OTHERS) == 4, "another stage is another result"
    graph.forget()
    assert asked(iron, 1) == 5


def test_identities_stay_those_of_what_is_held() -> None:
    """An object that went could lend its place in memory to another, which would then be taken for it."""
    graph = Graph()
    for number in range(LEAST // 2):
        assert graph.get(NUMBERS, (Iron(),), (), lambda number=number: number) == number  # type: ignore[misc]


def test_what_cannot_be_made_is_not_held() -> None:
    graph = Graph()
    with pytest.raises(ZeroDivisionError):
        graph.get(NUMBERS, (), (1,), lambda: 1 // 0)
    assert graph.get(NUMBERS, (), (1,), lambda: 7) == 7


def test_what_no_state_has_asked_for_goes_and_what_is_in_use_stays() -> None:
    graph = Graph()
    always, made = Iron(), {"always": 0, "once": 0}

    def make(what: str) -> int:
        made[what] += 1
        return made[what]

    graph.get(NUMBERS, (), (-1,), lambda: make("once"))
    for state in range(40 * STATES):
        graph.begin_state()
        graph.get(NUMBERS, (always,), (), lambda: make("always"))
        for number in range(50):
            graph.get(NUMBERS, (), (state, number), lambda: 0)
    assert made["always"] == 1, "what is in use is never made again"
    assert len(graph) <= 2 * max(LEAST, 51 * (STATES + 1)) + 51
    assert graph.get(NUMBERS, (), (-1,), lambda: make("once")) == 2


def test_states_of_a_reel_that_are_long_past_do_not_pile_up(reel: Reel) -> None:
    """Each split and each speed that was ever tried stayed until there were 24,000 of them."""
    DERIVED.forget()
    clip = reel.clips[1].id
    timeline_of(reel)
    usual = len(DERIVED)
    for number in range(1500):
        tried = with_constant(reel, [clip], 0.5 + number / 10_000)
        assert timeline_of(tried).placed_clip(clip) is not None
    assert len(DERIVED) <= 2 * max(LEAST, 12 * usual)
    assert Timeline(reel).placed == Timeline(reel).placed


def test_a_state_that_was_left_long_ago_is_worked_out_as_it_was(reel: Reel) -> None:
    first = timeline_of(reel)
    placed = [(p.clip, p.first, p.end, p.map.start_s) for p in first.placed]
    for number in range(3 * STATES):
        timeline_of(with_constant(reel, [reel.clips[0].id], 0.5 + number / 100))
    assert [(p.clip, p.first, p.end, p.map.start_s) for p in timeline_of(reel).placed] == placed


def test_one_reel_from_four_threads_is_the_same_ten_thousand_times(reel: Reel, switching: None) -> None:
    """Two threads that worked one reel out at once got timelines without transitions, 20 of 482."""
    clips = tuple(replace(c, transition=new_transition("push") if n else None) for n, c in enumerate(reel.clips[:3]))
    small = replace(reel, clips=clips, accent_lanes=reel.accent_lanes[:1])
    truth = timeline_of(small)
    wanted = (len(truth.transitions[0]), [(p.first, p.end) for p in truth.placed], len(truth.pulses[0]))
    assert wanted[0] == 2 and wanted[2]
    wrong: list[object] = []

    def build() -> None:
        for number in range(2500):
            if number % 50 == 0:
                DERIVED.forget()
            made = timeline_of(replace(small, length_s=small.length_s + number % 7 / 100))
            found = (len(made.transitions[0]), [(p.first, p.end) for p in made.placed], len(made.pulses[0]))
            if found[:2] != wanted[:2] or not found[2]:
                wrong.append(found)

    threads = [Thread(target=build) for _ in range(4)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert not wrong, f"{len(wrong)} of 10,000: {wrong[0]}, not {wanted}"


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
        DERIVED.forget()
        assert laid(state) == placed
