"""Maps as manuals have them: interleaved and spread, in all four tables, with status words. Two made-up modules, their
figures put together by hand."""

from typing import Any

import numpy as np
import pytest
from tests.building.words import layout_with

from canaleta.catalogue.types import module_types
from canaleta.core.model.addresses import addresses_of
from canaleta.core.model.module_type import ModuleType
from canaleta.core.model.quality import Reason
from canaleta.core.model.register_tables import Table
from canaleta.core.model.registers import RackMap, Request, decode
from canaleta.core.model.resets import resets_of

PT100 = {
    "name": "Pt100, 0.1 °C", "family": "resistance", "curve": "pt100", "signal_unit": "°C",
    "signal": [0, 100], "counts": [0, 1000], "least": -2000, "most": 8500,
}  # fmt: skip
CONTACT = {"name": "24 V DC", "family": "contact", "signal_unit": "V", "signal": [0, 24], "counts": [0, 1]}
STATUS_BITS = [
    {"bit": 0, "means": "open circuit", "latches": True},
    {"bit": 1, "means": "short circuit"},
    {"bit": 7, "means": "not calibrated", "one_means": "healthy"},
    {"bit": 15, "means": "note", "says": "the channel is in its test"},
]

INTERLEAVED: dict[str, Any] = {
    "key": "rtd4", "title": "four thermometers, value and status in turn", "channels": 4, "modes": [PT100],
    "registers": [
        {"holds": "channel words", "at": 20, "step": 2, "count": 7, "table": "input registers"},
        {"holds": "module registers", "at": 10, "count": 2, "says": "firmware", "table": "input registers"},
    ],
    "status_words": [
        {"table": "input registers", "at": 21, "step": 2, "bits": STATUS_BITS,
         "reset": {"at": 100, "step": 1, "word": 1, "mask": 1}},
    ],
}  # fmt: skip
BESIDE: dict[str, Any] = {
    "key": "bits", "title": "eight contacts as discrete inputs", "channels": 8, "modes": [CONTACT],
    "registers": [{"holds": "channel bits", "table": "discrete inputs", "at": 32, "count": 8}],
    "status_words": [
        {"table": "input registers", "at": 200, "channels_a_word": 0, "bit_base": 1,
         "bits": [{"bit": 16, "means": "supply fault"}]},
        {"table": "coils", "at": 64, "step": 4, "channels_a_word": 2,
         "bits": [{"bit": 0, "means": "fault", "of": 0}, {"bit": 1, "means": "fault", "of": 1}]},
    ],
}  # fmt: skip


def map_of(*documents: dict[str, Any]) -> tuple[RackMap, dict[tuple[int, int], int]]:
    """A rack of modules of these types alone, and the row of each (type, channel)."""
    types = [ModuleType.model_validate(d) for d in documents]
    layout = layout_with(types)
    modules = {k: m for k, m in layout.modules.items() if k > 3}
    layout = type(layout)(layout.cabinets, layout.racks, modules, layout.types)
    made = RackMap.of(layout, 1)
    rows = {(int(m) - 4, int(c)): k for k, (m, c) in enumerate(zip(made.modules, made.channels, strict=True))}
    return made, rows


def test_value_and_status_in_turn_are_told_apart() -> None:
    made, rows = map_of(INTERLEAVED)
    assert [made.place_at(rows[0, c]) for c in range(4)] == [
        (Table.INPUT_REGISTERS, 20 + 2 * c, -1) for c in range(4)
    ]
    assert made.requests() == [Request(20, 8)], "the firmware is documented and not read"
    words = np.zeros(made.size, dtype=np.uint16)
    #                 value, status: bit 7 is 1 where its calibration holds
    words[20:28] = [235, 0x0080, 0xFF9C, 0x0081, 850, 0x8082, 0, 0x0000]
    found = decode(made, words)
    assert found.counts.tolist() == [235, -100, 850, 0]
    assert found.reasons.tolist() == [0, Reason.OPEN_CIRCUIT, Reason.SHORT_CIRCUIT, Reason.NOT_CALIBRATED]


def test_a_module_in_several_tables_is_read_from_each() -> None:
    made, rows = map_of(INTERLEAVED, BESIDE)
    spaces = {space.table: (space.first, space.count) for space in made.spaces}
    assert spaces[Table.INPUT_REGISTERS] == (0, 28 + 201), (
        "the second module's registers begin behind the first's, at 28"
    )
    assert spaces[Table.DISCRETE_INPUTS] == (32, 8)
    assert spaces[Table.COILS] == (64, 14)
    asked = [made.space_of(r.first).table for r in made.requests()]
    places = [(made.space_of(r.first).place(r.first), r.count) for r in made.requests()]
    assert list(zip(asked, places, strict=True)) == [
        (Table.INPUT_REGISTERS, (20, 8)),
        (Table.INPUT_REGISTERS, (228, 1)),
        (Table.DISCRETE_INPUTS, (32, 8)),
        (Table.COILS, (64, 14)),
    ]
    assert made.place_at(rows[1, 5]) == (Table.DISCRETE_INPUTS, 37, -1)


def test_a_word_of_the_module_and_bits_of_two_channels() -> None:
    made, rows = map_of(BESIDE)
    words = np.zeros(made.size, dtype=np.uint16)
    at = {space.table: space.at - space.first for space in made.spaces}
    words[at[Table.DISCRETE_INPUTS] + 34] = 1
    assert decode(made, words).counts.tolist() == [0, 0, 1, 0, 0, 0, 0, 0]
    # The second pair's coils begin at 68; the second of them is the fourth channel's.
    words[at[Table.COILS] + 69] = 1
    assert np.flatnonzero(decode(made, words).reasons).tolist() == [rows[0, 3]]
    # Bits counted from 1: the sixteenth is 0x8000, and it is of the whole module.
    words[at[Table.INPUT_REGISTERS] + 200] = 0x8000
    found = decode(made, words).reasons
    assert (found & np.uint32(Reason.SUPPLY_FAULT) != 0).all()
    assert found[rows[0, 3]] == Reason.SUPPLY_FAULT | Reason.CHANNEL_FAULT


def test_flags_beside_the_number_in_one_word() -> None:
    """Twelve bits above, flags below: 0x7FF3 is 2047 with bits 0 and 1; 0x8000 is −2048 without."""
    document = INTERLEAVED | {
        "key": "flags", "word": {"used_bits": 12},
        "registers": [{"holds": "channel words", "count": 4}],
        "status_words": [{"bits": [{"bit": 0, "means": "over range"}, {"bit": 1, "means": "fault"}]}],
    }  # fmt: skip
    made, _ = map_of(document)
    found = decode(made, np.array([0x7FF3, 0x8000, 0x0011, 0x0010], dtype=np.uint16))
    assert found.counts.tolist() == [2047, -2048, 1, 1]
    over = int(Reason.OVER_RANGE)
    assert found.reasons.tolist() == [over | Reason.CHANNEL_FAULT, 0, over, 0]


def test_two_groups_of_channels_each_with_its_own_numbers() -> None:
    """Two reals at the end of the holding registers, four contacts in a word: one module, two runs."""
    document = {
        "key": "mixed", "title": "mixed", "channels": 6, "modes": [PT100, CONTACT],
        "registers": [
            {"holds": "channel words", "of": {"first": 0, "count": 2}, "form": {"kind": "float", "bits": 32, "order": "CDAB"},
             "table": "holding registers", "at": 4000, "step": 10, "count": 12},
            {"holds": "channel bits", "of": {"first": 2, "count": 4}, "count": 1},
        ],
    }  # fmt: skip
    made, rows = map_of(document)
    assert made.place_at(rows[0, 1]) == (Table.HOLDING_REGISTERS, 4010, -1)
    assert made.place_at(rows[0, 3]) == (Table.INPUT_REGISTERS, 0, 1)
    words = np.zeros(made.size, dtype=np.uint16)
    at = next(s.at - s.first for s in made.spaces if s.table is Table.HOLDING_REGISTERS)
    words[at + 4000 : at + 4002] = [0x0000, 0x4148]  # 12.5
    words[0] = 0b0101
    assert decode(made, words).counts.tolist() == [12.5, 0, 1, 0, 1, 0]
    refused = np.zeros(made.size, dtype=bool)
    refused[at + 4001] = True
    assert made.without(refused).tolist() == [True, False, False, False, False, False]


def test_addresses_are_told_in_every_style() -> None:
    layout = layout_with([ModuleType.model_validate(BESIDE)])
    found = addresses_of(layout, RackMap.of(layout, 1), 4, 3)
    assert found.words == "place 35 from 0, 36 from 1, 0x0023, 10036"
    assert (found.told, found.direct) == ("discrete input 35", "%IX1.35")
    layout = layout_with([ModuleType.model_validate(INTERLEAVED)])
    found = addresses_of(layout, RackMap.of(layout, 1), 4, 1)
    first = layout.first_registers[4]
    assert found.told == f"input register {first + 22}"


@pytest.mark.parametrize(
    ("change", "why"),
    [
        ({"registers": [{"holds": "channel words", "at": 20, "count": 4}],
          "status_words": [{"at": 23, "bits": STATUS_BITS[1:2]}]}, "input registers 23 .from 0. belong to"),
        ({"registers": [{"holds": "channel words", "at": 0, "step": 2, "count": 6}]}, "4 channels need 7 registers"),
        ({"registers": [{"holds": "channel words", "of": {"first": 0, "count": 3}, "count": 3}]}, "channel 4 stands nowhere"),
        ({"registers": [{"holds": "channel words", "count": 4}, {"holds": "channel words", "of": {"first": 1, "count": 1}, "count": 1}]},
         "channel 2 stands there twice"),
        ({"registers": [{"holds": "channel words", "of": {"first": 2, "count": 4}, "count": 4}]}, "does not have"),
        ({"registers": [{"holds": "channel words", "step": 1, "count": 8, "form": {"bits": 32}}]}, "a step of 1 is less than"),
        ({"registers": [{"holds": "channel bits", "step": 2, "count": 8}]}, "share a word"),
        ({"status_words": [{"at": 21, "bits": [STATUS_BITS[1], STATUS_BITS[1]]}]}, "bit 1 is told twice"),
        ({"status_words": [{"at": 21, "bits": [{"bit": 1, "means": "fault"}, {"bit": 1, "means": "note"}]}]}, "bit 1 is told twice"),
        ({"status_words": [{"at": 21, "bits": [{"bit": 16, "means": "fault"}]}]}, "bit 16 is none of 0 to 15"),
        ({"status_words": [{"at": 21, "bit_base": 1, "bits": [{"bit": 0, "means": "fault"}]}]}, "bit 0 is none of 1 to 16"),
        ({"status_words": [{"at": 21, "bits": STATUS_BITS}]}, "say what resets it"),
        ({"status_words": [{"channels_a_word": 2, "bits": STATUS_BITS[1:2]}]}, "of its channel alone"),
        ({"status_words": [{"at": 21, "channels_a_word": 2, "bits": [{"bit": 1, "means": "fault", "of": 2}]}]}, "share a word"),
    ],
)  # fmt: skip
def test_what_cannot_be_is_told_where_it_stands(change: dict[str, Any], why: str) -> None:
    with pytest.raises(ValueError, match=why):
        ModuleType.model_validate(INTERLEAVED | {"status_words": []} | change)


def test_a_module_that_has_no_settings_is_asked_for_none() -> None:
    """Its manual has input registers alone: the module behind it begins with its own number at holding register 0."""
    kind = ModuleType.model_validate(INTERLEAVED)
    assert kind.setting_count == 0
    assert kind.model_copy(update={"ident_code": 7}).setting_count == 1
    types = [kind, module_types()["tc8"].model_copy(update={"key": "behind"})]
    layout = layout_with(types)
    before = sum(layout.type_of(m).setting_count for m in (1, 2, 3))
    assert (layout.first_settings[4], layout.first_settings[5]) == (before, before)


def test_a_copy_with_other_channels_has_a_map_of_its_own() -> None:
    kind = layout_with().types["ai8-ui"]
    assert len(kind.runs()[0].channels) == 8
    fewer = kind.model_copy(update={"channels": 4})
    assert len(fewer.runs()[0].channels) == 4
    assert kind == layout_with().types["ai8-ui"], "what was worked out is no part of what it says"


def test_each_module_of_a_type_is_reset_at_its_own_place() -> None:
    """Two modules, four coils each: the second's third channel is the seventh coil."""
    types = module_types()
    layout = layout_with(
        [types["rtd4-st"].model_copy(update={"key": "one"}), types["rtd4-st"].model_copy(update={"key": "two"})]
    )
    (first,), (second,) = resets_of(layout, 4, 2), resets_of(layout, 5, 2)
    assert (first.says, second.says) == ("coil 2 on", "coil 6 on")
    assert second.bits == ("wire break",)


def test_one_place_may_reset_several_channels_and_says_so() -> None:
    word = INTERLEAVED["status_words"][0] | {"reset": {"at": 100, "word": 0x0100, "mask": 0x0100}}
    layout = layout_with([ModuleType.model_validate(INTERLEAVED | {"status_words": [word]})])
    (reset,) = resets_of(layout, 4, 0)
    assert (reset.says, reset.others) == ("bits 0x0100 of holding register 100 become 0x0100", 3)
