"""Findings: rules over the whole list, one file a family. Importing this package registers them all."""

from canaleta.core.rules import alarms, channels, identity, ranges, texts, wires
from canaleta.core.rules.base import PLANT, RULES, Cell, Finding, Fix, Rule, audit, audit_change

__all__ = [
    "PLANT", "RULES", "Cell", "Finding", "Fix", "Rule", "alarms", "audit", "audit_change", "channels", "identity", "ranges",
    "texts", "wires",
]  # fmt: skip
