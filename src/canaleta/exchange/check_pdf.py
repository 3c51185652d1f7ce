"""A signed record as PDF: one page for a loop check, with everything that was signed and the hash of it."""

from __future__ import annotations

from canaleta.exchange.pages import Page, write_record
from canaleta.plant.checks.evidence import Evidence

__all__ = ["check_pdf"]


def check_pdf(record: Evidence, plant: str) -> bytes:
    """A signed record as PDF."""
    page = Page()
    page.set_creation_date(record.at)
    page.foot = f"record {record.id} · {record.hash}"
    page.set_title(f"{record.kind} {record.body.get('tag', '')}")
    page.add_page()
    about = " · ".join(x for x in (plant, record.body.get("service", ""), record.body.get("address", "")) if x)
    write_record(page, record, about)
    return page.packed()
