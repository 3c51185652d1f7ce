"""Cabinets, racks, modules, wiring, and registers of any device."""

from canaleta.web.hardware import cabinets, changes, finder, racks, running, served, wiring

__all__ = ["APIS"]

APIS = (cabinets.api, changes.api, racks.api, running.api, served.api, wiring.api, finder.api)
