"""Findings: rules over the whole list, one file a family. Importing this package registers them all."""

import pkgutil
from importlib import import_module

from canaleta.core.rules.audit import audit, audit_change
from canaleta.core.rules.finding import HARMS, PLANT, Cause, Cell, Finding, Fix, Waived
from canaleta.core.rules.records import RECORD_RULES, RecordRule
from canaleta.core.rules.rule import RULES, Rule, rule_named

__all__ = [
    "CATALOGUE", "HARMS", "PLANT", "RULES", "Cause", "Cell", "Finding", "Fix", "Rule", "Waived", "audit", "audit_change", "rule_named",
]  # fmt: skip

# A family is a file; nothing else names it.
for _family in pkgutil.iter_modules(__path__):
    import_module(f"{__name__}.{_family.name}")


def _place(rule: Rule | RecordRule) -> tuple[int, str]:
    """By number: R02C behind R02, R101 behind R99."""
    return int("".join(filter(str.isdecimal, rule.id))), rule.id


RULES.sort(key=_place)
CATALOGUE: tuple[Rule | RecordRule, ...] = tuple(sorted((*RULES, *RECORD_RULES), key=_place))
"""Every rule there is, of the list and of records, as people are told them."""
