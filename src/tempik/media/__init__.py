"""Source files: what they are, their frames by source time, and their sound."""

from tempik.media.audio import Sound, decode_sound, resampled
from tempik.media.course import STEP_S, Course, upright
from tempik.media.cues import FootageStudy, Suggestion, study, suggest_cues
from tempik.media.index import FrameIndex, index_frames
from tempik.media.picture import Picture, shrunk
from tempik.media.probe import Probe, probe
from tempik.media.reader import FrameReader

__all__ = [
    "STEP_S",
    "Course",
    "FootageStudy",
    "FrameIndex",
    "FrameReader",
    "Picture",
    "Probe",
    "Sound",
    "Suggestion",
    "decode_sound",
    "index_frames",
    "probe",
    "resampled",
    "shrunk",
    "study",
    "suggest_cues",
    "upright",
]
