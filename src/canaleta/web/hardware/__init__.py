"""Cabinets, racks, modules, wiring, and registers of any device."""

from canaleta.web.hardware import cabinets, changes, finder, prints, racks, running, served, wiring

__all__ = ["APIS"]

APIS = (cabinets.api, changes.api, racks.api, running.api, prints.api, served.api, wiring.api, finder.api)
