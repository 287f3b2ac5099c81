"""Reports as JSON and CSV."""

from __future__ import annotations

import csv
import io

import msgspec

from tempik.check.landing import Event, Report


def as_json(report: Report) -> str:
    """Return the report as JSON; `measured_ms` appears on events where a rendered file was measured."""
    document = msgspec.to_builtins(report)
    if report.sound_offset_ms is None:
        del document["sound_offset_ms"], document["levels"]
        for event in document["events"]:
            del event["measured_ms"]
    return msgspec.json.format(msgspec.json.encode(document), indent=1).decode()


def as_csv(report: Report) -> str:
    """Return one line an event, with a header."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(Event.__struct_fields__)
    for event in report.events:
        row = msgspec.structs.astuple(event)
        writer.writerow([f"{v:.6f}" if isinstance(v, float) else ("" if v is None else v) for v in row])
    return out.getvalue()
