"""The pages of the page panel. None knows another; a new one is a module or a package here and a line in PAGES."""

from tempik.desktop.pages.accents.page import AccentsPage
from tempik.desktop.pages.check import CheckPage
from tempik.desktop.pages.export.page import ExportPage
from tempik.desktop.pages.footage.page import FootagePage
from tempik.desktop.pages.frame import FramePage
from tempik.desktop.pages.grade.page import GradePage
from tempik.desktop.pages.layer.page import LayerPage
from tempik.desktop.pages.page import Page
from tempik.desktop.pages.rhythm.page import RhythmPage
from tempik.desktop.pages.sound.page import SoundPage
from tempik.desktop.pages.speed.page import SpeedPage
from tempik.desktop.pages.titles.page import TitlesPage
from tempik.desktop.pages.transitions.page import TransitionsPage

PAGES: tuple[type[Page], ...] = (
    RhythmPage,
    FootagePage,
    SpeedPage,
    AccentsPage,
    TransitionsPage,
    TitlesPage,
    LayerPage,
    FramePage,
    GradePage,
    SoundPage,
    CheckPage,
    ExportPage,
)
FIRST: type[Page] = FootagePage
