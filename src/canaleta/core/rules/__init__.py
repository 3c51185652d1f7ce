"""Findings: rules over the whole list, one file a family. Importing this package registers them all."""

import pkgutil
from importlib import import_module

from canaleta.core.rules.audit import audit, audit_change
from canaleta.core.rules.finding import HARMS, PLANT, Cause, Cell, Finding, Fix, Waived
from canaleta.core.rules.rule import RULES, Rule, rule_named

__all__ = [
    "HARMS", "PLANT", "RULES", "Cause", "Cell", "Finding", "Fix", "Rule", "Waived", "audit", "audit_change", "rule_named",
]  # fmt: skip

# A family is a file; nothing else names it.
for _family in pkgutil.iter_modules(__path__):
    import_module(f"{__name__}.{_family.name}")
RULES.sort(key=lambda rule: (rule.id[:3], rule.id))
