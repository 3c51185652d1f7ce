"""Findings: rules over the whole list, one file a family. Importing this package registers them all."""

from canaleta.core.rules import identity, ranges, wires
from canaleta.core.rules.base import RULES, Cell, Finding, Fix, Rule, audit, audit_change

__all__ = ["RULES", "Cell", "Finding", "Fix", "Rule", "audit", "audit_change", "identity", "ranges", "wires"]
