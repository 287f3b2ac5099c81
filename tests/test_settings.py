"""Settings are described once: what a pane, an option, a check and the docs say of them is one description."""

import pkgutil
from collections.abc import Iterator
from importlib import import_module
from pathlib import Path

import msgspec
import pytest
from hypothesis import given
from hypothesis import strategies as st

import tempik.reel
from tempik.cli.main import main
from tempik.cli.settings_list import groups
from tempik.desktop.widgets.controls import Dropdown, Number, Slider, Switch, Toggles, control_of
from tempik.errors import TempikError
from tempik.reel import Clear, Clip, Follow, Framing, Mask, Position, Reel, SoundClip, SoundLane, Title, Transition
from tempik.reel.bounds import _MOST
from tempik.reel.lanes import AccentLane, Rule
from tempik.reel.mask import CLEAR_SETTINGS, MASK_SETTINGS
from tempik.reel.model import ClipSound
from tempik.reel.sound import Ducking, Mix, MixerChannel
from tempik.reel.soundtrack import Soundtrack
from tempik.reel.title import TITLE_SETTINGS, Arrival
from tempik.settings import Setting, checked, problems, read

SETTINGS = [(what, setting) for what, settings in groups().items() for setting in settings.values()]
# Whose fields they are. Of crops the record has a tuple.
RECORDS: dict[str, type[msgspec.Struct]] = {
    "reel": Reel, "song": Soundtrack, "clip": Clip, "place": Position, "framing": Framing, "follow": Follow,
    "clip sound": ClipSound, "mask": Mask, "clear": Clear, "accent lane": AccentLane, "rule": Rule, "transition": Transition,
    "title": Title, "arrival": Arrival, "channel": MixerChannel, "sound lane": SoundLane, "sound clip": SoundClip,
    "ducking": Ducking, "master": Mix,
}  # fmt: skip


def kinds() -> dict[str, type[msgspec.Struct]]:
    for module in pkgutil.walk_packages(tempik.reel.__path__, "tempik.reel."):
        import_module(module.name)

    def below(kind: type[msgspec.Struct]) -> Iterator[type[msgspec.Struct]]:
        for each in kind.__subclasses__():
            yield each
            yield from below(each)

    return {kind.__name__: kind for kind in below(msgspec.Struct)}


def test_every_bound_of_a_record_names_a_field_that_there_is() -> None:
    """Records were renamed once and their bounds were not: a lane drawn by a large seed could not be saved."""
    known = kinds()
    for where in _MOST:
        record, _, field = where.removesuffix("[]").partition(".")
        assert record in known and field in known[record].__struct_fields__, where


@pytest.mark.parametrize(("what", "setting"), SETTINGS, ids=lambda v: v if isinstance(v, str) else v.name)
def test_a_setting_is_a_field_of_its_record_and_usual_as_the_record_has_it(what: str, setting: Setting) -> None:
    assert setting.does and not setting.does.endswith(".")
    record = RECORDS.get(what)
    if record is None:
        return
    fields = {f.name: f for f in msgspec.structs.fields(record)}
    usual = fields[setting.name].default
    if usual is not msgspec.NODEFAULT and usual is not None:
        assert usual == setting.default, "what a pane shows of a new record is what it is"
    if setting.kind == "number":
        assert setting.low <= float(setting.default) <= setting.high


@given(st.data())
def test_what_a_setting_shows_is_read_as_it_is_kept(data: st.DataObject) -> None:
    _, setting = data.draw(st.sampled_from([s for s in SETTINGS if s[1].kind == "number"]))
    kept = data.draw(st.floats(setting.low, setting.high))
    shown = repr(kept * setting.scale)
    assert read(setting, shown) == pytest.approx(kept, rel=1e-9, abs=1e-12)
    for beyond in (setting.high * setting.scale + 1, setting.low * setting.scale - 1):
        with pytest.raises(TempikError, match="cannot be; give"):
            checked(setting, beyond)


def test_what_lies_outside_a_setting_is_one_sentence_with_what_may_be() -> None:
    found = list(problems(TITLE_SETTINGS.values(), Title("a", size=9.0, colour="red"), "Clip 'c1' has a title with"))
    assert found == [
        "Clip 'c1' has a title with a size of 9; keep it between 0.005 and 3.",
        "Clip 'c1' has a title with the colour 'red'; give one such as #ffffff.",
    ]
    for setting, text, message in (
        (MASK_SETTINGS["mix"], "over", "Mix is one of add, take away, keep common, not 'over'."),
        (MASK_SETTINGS["invert"], "maybe", "'maybe' is neither yes nor no; give invert=1 or invert=0."),
        (CLEAR_SETTINGS["colour"], "green", "'green' is no colour; give one such as #00b140."),
        (CLEAR_SETTINGS["soft"], "much", "'much' is no number; soft takes 0 to 100 %."),
    ):
        with pytest.raises(TempikError) as refused:
            read(setting, text)
        assert str(refused.value) == message


@pytest.mark.parametrize(("what", "setting"), SETTINGS, ids=lambda v: v if isinstance(v, str) else v.name)
def test_every_setting_has_a_control_that_tells_what_a_person_gives_and_nothing_else(
    qtbot: object, what: str, setting: Setting
) -> None:
    control = control_of(setting)
    told: list[object] = []
    control.told.connect(told.append)
    control.show_value(setting.default)
    assert told == [], "showing is no edit"
    if isinstance(control, Number):
        low, high = setting.within or (setting.low, setting.high)
        control.setValue(high * setting.scale)
        control.setValue(low * setting.scale)
        assert told[-1] == pytest.approx(low, abs=1e-9) and setting.low <= told[-1] <= setting.high
    elif isinstance(control, Switch):
        control.click()
        assert told == [not setting.default]
    elif isinstance(control, Dropdown):
        control.activated.emit(len(setting.choices) - 1)
        assert told == [setting.choices[-1]]
    assert control.toolTip() == setting.does


def test_a_number_that_is_bounded_or_rounded_otherwise_tells_nothing(qtbot: object) -> None:
    """A transition was asked for with 0 frames as soon as the page showed one: fewer decimals round what is shown."""
    number = Number(Setting("length", "long", 8.0, 0, 600, "", digits=2))
    told: list[float] = []
    number.told.connect(told.append)
    number.show_value(0.25)
    number.setDecimals(0)
    number.setMaximum(5)
    number.setMinimum(2)
    number.setRange(3, 4)
    assert told == [] and number.value() == 3
    number.setValue(4)
    assert told == [4.0]


def test_a_dropdown_shows_what_it_does_not_offer_and_leaves_it_out_again(qtbot: object) -> None:
    box = Dropdown([("a", "one"), ("b", "two")])
    box.show_value("z", "of a newer version")
    assert [box.itemText(n) for n in range(box.count())] == ["of a newer version", "one", "two"]
    box.show_value("b")
    assert [box.itemText(n) for n in range(box.count())] == ["one", "two"] and box.currentText() == "two"


def test_a_slider_tells_apart_what_is_dragged_and_what_is_set(qtbot: object) -> None:
    slider = Slider("Amount")
    moved: list[float] = []
    told: list[float] = []
    slider.moved.connect(moved.append)
    slider.told.connect(told.append)
    slider.show_value(0.5)
    assert (moved, told, slider.text.text()) == ([], [], "50 %")
    slider.setValue(60)
    slider.setSliderDown(True)
    slider.setValue(70)
    slider.show_value(0.1)  # what a job brings meanwhile
    assert (moved, told, slider.value()) == ([0.7], [0.6], 70)


def test_one_of_some_buttons_is_told_by_its_value(qtbot: object) -> None:
    toggles = Toggles((("a", "one", ""), (None, "none", "")))
    told: list[object] = []
    toggles.told.connect(told.append)
    toggles.show_value(None)
    assert toggles.value() is None and told == []
    toggles.button(0).click()
    assert told == ["a"] and toggles.value() == "a"


def test_settings_are_listed_and_a_wrong_name_is_a_sentence(capsys: pytest.CaptureFixture[str]) -> None:
    assert main(["settings", "--of", "mask"]) == 0
    assert "| mask | feather |" in capsys.readouterr().out
    assert main(["settings", "--of", "shoe"]) == 2
    assert "'shoe' has no settings; choose from" in capsys.readouterr().err


def test_a_file_that_is_not_there_and_a_project_beside_others_are_refused(
    tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    song = tmp_path / "song.wav"
    assert main([str(song)]) == 2
    assert "is not there; give a .tempik file, a song or footage" in capsys.readouterr().err
