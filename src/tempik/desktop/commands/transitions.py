"""Commands on transitions: laying them on the cuts that are meant, changing them together, matching them to the motion."""

from __future__ import annotations

from collections.abc import Callable

from msgspec.structs import replace
from PySide6.QtCore import QObject, Signal
from PySide6.QtWidgets import QInputDialog, QWidget

from tempik.desktop.commands.registry import command
from tempik.desktop.session.background import ProxyStore
from tempik.desktop.session.document import Project
from tempik.desktop.session.jobs import Job, Worker
from tempik.desktop.widgets.count_panel import CountPanel
from tempik.digits import plural
from tempik.edit.transitions import laying, mending
from tempik.edit.transitions.laying import TransitionPlace
from tempik.errors import TempikError
from tempik.project import transitions as library
from tempik.reel import Reel, Transition
from tempik.render import PictureSource
from tempik.render.motion import proposals_at
from tempik.timeline.transitions import PlacedTransition, short_of
from tempik.transitions import CATALOGUE, new_transition
from tempik.transitions.matching import TransitionProposal

# Which cuts are meant, and what it is called.
SCOPES: tuple[tuple[str, str], ...] = (
    ("this", "this cut"),
    ("selected", "the selected clips"),
    ("cuts", "all cuts"),
    ("every:2", "every 2nd cut"),
    ("every:4", "every 4th cut"),
    ("downbeats", "cuts on downbeats"),
    ("drops", "cuts on drops"),
    ("open", "open ends: fade in, fade out"),
)
STEP = 0.1


class TransitionCommands(QObject):
    """What keys and menus do to transitions. `scope` says which cuts are meant on the page."""

    scope_changed = Signal()

    def __init__(self, project: Project, worker: Worker, proxy_store: ProxyStore, count: CountPanel) -> None:
        super().__init__(project)
        self.project, self.worker, self.proxy_store, self.count = project, worker, proxy_store, count
        self.scope = "this"
        self.ways = ""  # how directions are given to several at once
        self.last = "dissolve"

    # Which are meant

    @property
    def place(self) -> TransitionPlace | None:
        """The edge that is worked on: the chosen transition's, else the selected clip's start, else the cut nearest to the
        playhead."""
        picked, timeline = self.project.selection, self.project.timeline
        if picked.transition_place is not None:
            return picked.transition_place
        if picked.placed is not None:
            return TransitionPlace(picked.placed.clip.id)
        frame = self.project.playhead.frame
        found = [(p.first, at) for at in laying.cuts(timeline) if (p := timeline.placed_clip(at.clip)) is not None]
        return min(found, key=lambda f: abs(f[0] - frame), default=(0, None))[1]

    @property
    def placed_transition(self) -> PlacedTransition | None:
        """The transition that is worked on, as it lies on the reel."""
        place = self.place
        return self.project.timeline.transition_of(*place) if place is not None else None

    def places(self) -> list[TransitionPlace]:
        """Return the edges that are meant, by the scope."""
        if self.scope == "this":
            return [self.place] if self.place is not None else []
        timeline, names = self.project.timeline, self.project.selection.chosen_clips
        return laying.cuts_on(timeline, self.scope, names if self.scope == "selected" else None)

    def joined(self) -> list[TransitionPlace]:
        """Return those that are meant and have a transition."""
        reel = self.project.reel
        return [at for at in self.places() if laying.transition_at(reel, at) is not None]

    def choose_scope(self, scope: str) -> None:
        """Choose which cuts are meant on the page."""
        if scope != self.scope:
            self.scope = scope
            self.scope_changed.emit()

    # Laying

    def lay(self, kind: str) -> None:
        """Lay a kind on the edges that are meant; transitions that are there become of this kind."""
        self.last = kind
        self._lay(CATALOGUE[kind].title, new_transition(kind), keep=True)

    def lay_own(self, name: str, transition: Transition) -> None:
        """Lay a transition of one's own."""
        self._lay(name, transition, keep=False)

    def _lay(self, title: str, transition: Transition, keep: bool) -> None:
        places = self.places()
        if not places:
            self.project.messages.say(
                "There is no cut here to lay a transition on; a cut is where two clips meet.", True
            )
            return

        def edit(reel: Reel) -> Reel:
            there = [at for at in places if laying.transition_at(reel, at) is not None] if keep else []
            if there:
                reel = laying.with_kind(reel, there, transition.kind)
            new = [at for at in places if at not in there]
            reel = laying.laid(reel, new, transition, self.ways) if new else reel
            return laying.with_directions(reel, there, self.ways) if there and self.ways and len(places) > 1 else reel

        many = f" on {len(places)} cuts" if len(places) > 1 else ""
        if self.project.change(f"{title}{many}", edit):
            self.say_trouble(places)

    def say_trouble(self, places: list[TransitionPlace]) -> None:
        """Say what transitions are short of, with what would mend it."""
        timeline = self.project.timeline
        short = [(at, s) for at in places if (s := timeline.transition_of(*at)) is not None and short_of(s)]
        if not short:
            return
        at, placed_transition = short[0]
        names = ", ".join(m.does for m in mending.mends(timeline.reel, at)[:2])
        more = f" ({len(short) - 1} more like it)" if len(short) > 1 else ""
        self.project.messages.say(
            f"{short_of(placed_transition)[0]}{more}." + (f" It helps: {names}." if names else ""), True
        )

    def lay_here(self, kind: str) -> None:
        """Lay a kind on the edge that is worked on, whatever the scope."""
        self._within("this", lambda: self.lay(kind))

    def direct(self, places: list[TransitionPlace], ways: str) -> None:
        """Give transitions a direction, by turns or by lot too; what is laid next on several goes so."""
        self.ways = ways if ways in (laying.TURNS, laying.LOT) else ""
        if places:
            self.project.change(f"Transitions go {ways}", lambda reel: laying.with_directions(reel, places, ways))

    @command("Transitions", "Lay the last transition on the cut again", ("Ctrl+J",), "clips")
    def lay_again(self) -> None:
        """Lay the kind that was laid last on the cut that is worked on, or on the selected clips' cuts."""
        self._within(
            "selected" if len(self.project.selection.chosen_clips) > 1 else "this", lambda: self.lay(self.last)
        )

    @command("Transitions", "Take the transition off", ("Shift+J",), "clips")
    def take_off(self) -> None:
        def act() -> None:
            places = self.places()
            self.project.change("Transition taken off", lambda reel: laying.without_transitions(reel, places))

        self._within("selected" if len(self.project.selection.chosen_clips) > 1 else self.scope, act)

    def _within(self, scope: str, act: Callable[[], None]) -> None:
        """Do something with another scope."""
        was, self.scope = self.scope, scope
        try:
            act()
        finally:
            self.scope = was

    @command("Transitions", "Take all transitions off", (), "clips")
    def take_all_off(self) -> None:
        self.project.change("All transitions taken off", laying.without_transitions)

    # Changing

    def change(self, what: str, edit: Callable[[Transition], Transition]) -> None:
        """Change the transitions that are meant."""
        places = self.joined()
        if places:
            self.project.change(what, lambda reel: laying.changed(reel, places, edit))

    @command("Transitions", "The transition a frame longer", ("Alt+J",), "clips")
    def longer(self) -> None:
        self._by(1)

    @command("Transitions", "The transition a frame shorter", ("Ctrl+Alt+J",), "clips")
    def shorter(self) -> None:
        self._by(-1)

    def _by(self, frames: int) -> None:
        places = self.joined()
        if not places:
            self.project.messages.say("There is no transition here; lay one on the Transitions page.", True)
            return
        word = "longer" if frames > 0 else "shorter"
        if self.project.change(f"Transition a frame {word}", lambda reel: laying.longer(reel, places, frames)):
            self.say_trouble(places)

    @command("Transitions", "All transitions longer or shorter …", ("Ctrl+Shift+J",), "clips")
    def ask_all_lengths(self) -> None:
        """Ask how many frames all transitions are long."""
        self.count.ask(
            "All transitions", "frames", 6,
            lambda n, _: self.project.change(f"All transitions {n} frames", lambda reel: laying.with_length(reel, None, n)),
            most=600,
        )  # fmt: skip

    @command("Transitions", "All transitions a tenth weaker", (), "clips")
    def calm_transitions(self) -> None:
        self.project.change("All transitions weaker", lambda reel: laying.stronger(reel, None, -STEP))

    @command("Transitions", "All transitions a tenth stronger", (), "clips")
    def stir_transitions(self) -> None:
        self.project.change("All transitions stronger", lambda reel: laying.stronger(reel, None, STEP))

    @command("Transitions", "The transition goes the other way", (), "clips")
    def turn_round(self) -> None:
        """Let the transitions that are meant go the way opposite to theirs."""
        self.change("Transition the other way", turned_round)

    # Matching

    @command("Transitions", "Match transitions to the motion", ("Shift+M",), "clips")
    def match(self) -> None:
        """Choose kind and direction of the transitions that are meant by how the pictures on both sides move."""
        places = self.places()
        if len(places) <= 1 and len(self.project.selection.chosen_clips) > 1:
            places = laying.cuts(self.project.timeline, self.project.selection.chosen_clips)
        timeline, proxy = self.project.timeline, self.proxy_store.proxy_for

        def work(job: Job) -> dict[TransitionPlace, TransitionProposal]:
            found = {}
            with PictureSource(96 << 20, proxy) as source:
                for number, at in enumerate(places):
                    if job.stop_event.is_set():
                        break
                    job.report(number / len(places))
                    proposed = proposals_at(timeline, at.clip, source) if not at.end else []
                    if proposed:
                        found[at] = proposed[0]
            return found

        def done(found: dict[TransitionPlace, TransitionProposal]) -> None:
            if not found:
                self.project.messages.say("There is no cut between two clips here to match a transition to.", True)
            elif self.project.change(
                f"{plural(len(found), 'transition')} matched to the motion",
                lambda reel: laying.with_proposals(reel, found),
            ):
                if len(found) == 1:
                    self.project.messages.say(next(iter(found.values())).why)
                self.say_trouble(list(found))

        self.worker.start("How the pictures move", work, done, lambda t: self.project.messages.say(t, True))

    def take_proposal(self, place: TransitionPlace, proposed: TransitionProposal) -> None:
        """Lay what was proposed for an edge."""
        if self.project.change(proposed.why, lambda reel: laying.with_proposals(reel, {place: proposed})):
            self.say_trouble([place])

    # Copying and keeping

    def copy_to_scope(self) -> None:
        """Give the transition that is worked on to all edges that are meant."""
        place, places = self.place, self.places()
        if place is not None:
            self.project.change("Transition copied", lambda reel: laying.copied(reel, place, places))

    def ask_keep(self, parent: QWidget) -> None:
        """Ask for a name and keep the transition that is worked on."""
        placed_transition = self.placed_transition
        if placed_transition is None:
            self.project.messages.say("There is no transition here to keep; lay one first.", True)
            return
        name, yes = QInputDialog.getText(parent, "Keep this transition", "Its name:")
        if yes:
            self.keep(name)

    def keep(self, name: str) -> None:
        """Keep the transition that is worked on under a name."""
        placed_transition = self.placed_transition
        if placed_transition is None:
            return
        try:
            library.kept_transition(placed_transition.transition, name)
        except TempikError as error:
            self.project.messages.say(str(error), True)
            return
        self.project.messages.say(f"'{name.strip()}' is kept; it stands with the transitions to choose from.")
        self.scope_changed.emit()

    def mend(self, place: TransitionPlace, mend: mending.TransitionMend) -> None:
        """Make good what a transition lacks, as one step."""
        self.project.change(mend.does[0].upper() + mend.does[1:], mend.edit)


_OPPOSITE = {"left": "right", "up": "down", "clockwise": "anticlockwise"}
_OTHER = _OPPOSITE | {b: a for a, b in _OPPOSITE.items()}


def turned_round(transition: Transition) -> Transition:
    """Return a transition that goes the other way; one without ways stays as it is."""
    kind = CATALOGUE.get(transition.kind)
    if kind is None or not kind.directions:
        return transition
    way = transition.direction or kind.directions[0]
    return replace(transition, direction=" ".join(_OTHER.get(w, w) for w in way.split()))
