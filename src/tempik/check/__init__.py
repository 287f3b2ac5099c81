"""Proof: every event with its distance from its point, as planned and as measured in an exported file."""

from tempik.check.landing import Event, Report, check_reel, total_text
from tempik.check.rendered import check_rendered
from tempik.check.write import as_csv, as_json

__all__ = ["Event", "Report", "as_csv", "as_json", "check_reel", "check_rendered", "total_text"]
