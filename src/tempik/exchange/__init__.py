"""Edits for other people's tools, and out of them: OpenTimelineIO and CMX 3600 EDL."""
