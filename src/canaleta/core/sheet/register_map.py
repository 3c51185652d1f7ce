"""The register map: what displays and other systems must know of each value that they read; and registers given to points
that have none.

Every style of an address that manuals use stands beside the others, for the commonest mistake is to be off by one.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence

import numpy as np

from canaleta.core.model.field_table import ALARM_LEVELS
from canaleta.core.model.image import PlantImage
from canaleta.core.model.register_tables import STYLES, table_named, written_place
from canaleta.core.notation.arrays import Rows
from canaleta.core.notation.text import plain_figure
from canaleta.core.sheet.published import FUNCTIONS, Published, bad_number, published
from canaleta.core.signals.converters import WordForm
from canaleta.core.signals.signal_types import Family

__all__ = ["MAP_HEADS", "given_registers", "map_rows", "type_word"]

MAP_HEADS = (
    "tag", "service", "table", "from 0", "from 1", "hexadecimal", "with the table's digit", "registers", "type", "order", "times",
    "unit", "decimals", "low", "high", *(level.upper() for level in ALARM_LEVELS), "0 says", "1 says", "when bad", "good at",
    "published at", "read by",
)  # fmt: skip
"""Of each column. times: how many of its numbers one unit is; when bad: what stands there then; good at: the bit that is 1
while it is good."""
_WORDS = {("int", 16): "int", ("unsigned", 16): "uint", ("int", 32): "dint", ("unsigned", 32): "udint"}
LAST = 65_535


def type_word(form: WordForm) -> str:
    """The data type by IEC 61131-3: int, uint, dint, udint, real."""
    if form.kind == "float":
        return "real"
    return _WORDS["unsigned" if form.coding == "unsigned" else "int", form.bits]


def map_rows(image: PlantImage, what: Published | None = None) -> list[tuple[str, ...]]:
    """One row a value that is published, in the order of its registers, as MAP_HEADS says."""
    what = what or published(image)
    texts = {name: image.texts(name, what.rows) for name in _FIELDS}
    contact = (image.family[what.rows] == Family.CONTACT).tolist()
    out = []
    for k, row in enumerate(what.rows.tolist()):
        form, register = what.forms[int(what.form[k])], int(what.register[k])
        function = FUNCTIONS[int(what.function[k])]
        table = table_named(function)
        factor, bad = float(what.factor[k]), bad_number(form)
        one = {name: column[k] for name, column in texts.items()}
        out.append(
            (
                image.label(row), one["service"], table.one, *(written_place(table, register, style) for style in STYLES),
                str(form.words), type_word(form), form.order if form.words > 1 else "", plain_figure(factor) if factor != 1 else "",
                "" if contact[k] else one["value_unit"], one["value_decimals"], one["value_low"], one["value_high"],
                *(one[f"alarm_{level}"] for level in ALARM_LEVELS), one["text_0"], one["text_1"],
                "NaN" if np.isnan(bad) else plain_figure(bad),
                f"{'coil' if function == 'holding' else 'discrete input'} {register}", one["published_at"], one["read_by"],
            )
        )  # fmt: skip
    return out


_FIELDS = (
    "service", "value_unit", "value_decimals", "value_low", "value_high", *(f"alarm_{level}" for level in ALARM_LEVELS),
    "text_0", "text_1", "published_at", "read_by",
)  # fmt: skip


def given_registers(
    image: PlantImage, rows: Iterable[int], first: int, function: str = "holding", order: str = "ABCD"
) -> list[tuple[int, str]]:
    """(row, what to type into `published_at`) for points that have no register, from a first one on, around what is taken. A
    value is a real unless its type is a whole one; a contact takes one register. Those for which no room is left have none."""
    taken = _taken(published(image), function)
    wanted: Sequence[int] = [row for row in rows if not image.filled("published_at")[row]]
    out, at = [], first
    contact: Rows = np.flatnonzero(image.family == Family.CONTACT)
    contacts = set(contact.tolist())
    for row in wanted:
        word = "uint" if row in contacts else _typed(image.text("value_type", row))
        width = 2 if word in ("real", "dint", "udint") else 1
        while any(at + k in taken for k in range(width)):
            at += 1
        if at + width - 1 > LAST:
            break
        out.append((row, f"{function} {at} {word}" + (f" {order}" if width == 2 and order != "ABCD" else "")))
        at += width
    return out


def _typed(value_type: str) -> str:
    return {"INT": "int", "UINT": "uint", "DINT": "dint", "UDINT": "udint"}.get(value_type.upper(), "real")


def _taken(what: Published, function: str) -> set[int]:
    mine = np.flatnonzero(what.function == FUNCTIONS.index(function))
    return {int(what.register[k]) + n for k in mine.tolist() for n in range(what.forms[int(what.form[k])].words)}
