"""Check records of a part of the plant in the frame of every print: a sheet each, with everything that was signed, who signed
under it, and whether it still is what was signed."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence

from canaleta.exchange.pages import write_record
from canaleta.exchange.prints.paper import About, Framed, Paper
from canaleta.plant.checks.evidence import Countersignature, Evidence

__all__ = ["check_records"]


def check_records(
    records: Sequence[Evidence], under: Mapping[int, Sequence[Countersignature]], untested: Sequence[str], about: About,
    paper: Paper, told: Callable[[float], None] = lambda share: None,
) -> bytes:  # fmt: skip
    """Records as PDF, in the order given. under: countersignatures by record; untested: tags of points without any record, told on
    a sheet of their own at the end."""
    page = Framed(about, "check records", paper, across=False)
    for k, record in enumerate(records):
        page.add_page()
        write_record(
            page, record, " · ".join(x for x in (record.body.get("service", ""), record.body.get("address", "")) if x)
        )
        for one in under.get(record.id, ()):
            page.ln(1)
            page.words(
                f"seen by {one.name} ({one.who}), {one.at:%Y-%m-%d %H:%M} UTC {one.remark}".strip(), 8, bold=True
            )
            if not one.sound_under(record):
                page.words("This signature is not under what it was given for.", 8, bold=True)
        told((k + 1) / len(records))
    if untested or not records:
        page.add_page()
        page.words("without any record", 14, bold=True)
        page.ln(1)
        page.words(", ".join(untested) or "no point belongs to this part", 9)
    return page.packed()
