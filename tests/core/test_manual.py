"""Tables pasted from manuals that nobody here has seen, as they stand there; and what they mean by their own words."""

import pytest

from canaleta.core.hardware.manual import read_bits, read_modes, read_registers
from canaleta.core.model.module_type import ModuleType
from canaleta.core.model.register_tables import Table

INPUT = Table.INPUT_REGISTERS
TABLED = "with the table's digit"

REGISTERS = """Register\tDescription\tType
30001\tChannel 1 process value\tINT16
30002\tChannel 1 status word
30003\tChannel 2 process value\tINT16
30004\tChannel 2 status word
30005\tChannel 3 process value\tINT16
30006\tChannel 3 status word
30007\tChannel 4 process value\tINT16
30008\tChannel 4 status word
30021\tFirmware version
30022\tCold junction, 0.1 °C
"""

SPREAD = """
0x0100-0x0101 ; Input 0 measured value (FLOAT)
0x0110-0x0111 ; Input 1 measured value (FLOAT)
0x0120-0x0121 ; Input 2 measured value (FLOAT)
0x0200 ; Module diagnosis
"""

BITS = """
Bit | Meaning | Note
0 | Wire break | latched until reset
1 | Short circuit |
2 | Value below range
3 | Value above range
4 | reserved
7 | Calibration valid (1 = OK)
15 | Self-test running
"""

MODES = """Code  Sensor                Range             Counts
0     4 to 20 mA            4...20 mA         0...24000
1     ±10 V                 ±10 V             -24000...24000
2     Thermocouple type K   -200...1372 °C    -2000...13720
3     Pt100                 -200..850 °C      -2000..8500
4     Resistance            0-400 Ω           0x0000-0x7FFF
"""


def test_registers_in_turn_are_one_run_with_a_step_each() -> None:
    found = read_registers(REGISTERS, TABLED, Table.INPUT_REGISTERS)
    assert found.troubles == []
    assert found.parts["channels"] == 4
    values, cold = found.parts["registers"]
    assert values == {
        "holds": "channel words", "table": "input registers", "at": 0, "step": 2, "count": 7, "of": {"first": 0, "count": 4},
    }  # fmt: skip
    assert found.parts["firmware"] == {
        "table": "input registers", "at": 20, "words": 1, "written": "parts in bytes",
    }  # fmt: skip
    assert (cold["holds"], cold["at"]) == ("cold junction", 21)
    (status,) = found.parts["status_words"]
    assert (status["at"], status["step"], status["channels_a_word"]) == (1, 2, 1)
    assert any("its bits are still to be told" in guess for guess in found.guesses)


def test_spread_registers_in_hexadecimal_with_channels_from_0_and_reals() -> None:
    found = read_registers(SPREAD, "hexadecimal", Table.HOLDING_REGISTERS)
    (values,) = found.parts["registers"]
    assert (values["at"], values["step"], values["count"]) == (0x100, 16, 34)
    assert values["form"] == {"kind": "float", "bits": 32}
    assert values["of"] == {"first": 0, "count": 3}
    assert values["table"] == "holding registers"
    assert found.parts["status_words"][0]["channels_a_word"] == 0
    assert found.guesses[0].endswith("channels 0 to 2, 32 bit real"), "what was taken from a word is told"


@pytest.mark.parametrize(
    ("text", "run"),
    [
        ("10001–10016  Inputs 1–16", {"holds": "channel bits", "table": "discrete inputs", "at": 0, "count": 16, "of": {"first": 0, "count": 16}}),
        ("40001 to 40008\tChannel 1 - 4 value, 32 bit", {"holds": "channel words", "at": 0, "count": 8, "form": {"bits": 32}}),
        ("40001 to 40004\tAI 1-4 uint16", {"holds": "channel words", "count": 4, "form": {"coding": "unsigned"}}),
    ],
)  # fmt: skip
def test_a_range_for_all_channels(text: str, run: dict[str, object]) -> None:
    (found,) = read_registers(text, TABLED, Table.HOLDING_REGISTERS).parts["registers"]
    assert run.items() <= found.items()


def test_the_second_number_of_a_channel_stands_beside_the_first() -> None:
    text = "\n".join(f"{k}\tChannel {k} in °C\n{k + 10}\tChannel {k} in °F" for k in range(1, 5))
    celsius, fahrenheit = read_registers(text, "from 1", Table.INPUT_REGISTERS).parts["registers"]
    assert (celsius["holds"], celsius["at"]) == ("channel words", 0)
    assert (fahrenheit["holds"], fahrenheit["at"], fahrenheit["says"]) == ("other numbers", 10, "Channel 1 in °F")


def test_lines_that_say_no_place_are_told_and_the_rest_is_kept() -> None:
    text = (
        "30001\tChannel 1\n3000X\tChannel 2\n30003\tChannel 3\n30009-30004\tChannel 4\nSee chapter 5 for the wiring\n"
    )
    found = read_registers(text, TABLED, Table.INPUT_REGISTERS)
    assert [(t.line, t.says) for t in found.troubles] == [
        (2, "“3000X” is no place: a digit for the table (0, 1, 3 or 4) and four or five more, as 40001"),
        (4, "“30009-30004” runs backwards"),
    ]
    assert [run["of"] for run in found.parts["registers"]] == [{"first": 0, "count": 1}, {"first": 2, "count": 1}]


def test_bits_by_what_their_words_say() -> None:
    found = read_bits(BITS)
    assert found.troubles == []
    told = {bit["bit"]: (bit["means"], bit["one_means"], bit["latches"]) for bit in found.parts["bits"]}
    assert told == {
        0: ("open circuit", "fault", True),
        1: ("short circuit", "fault", False),
        2: ("under range", "fault", False),
        3: ("over range", "fault", False),
        7: ("not calibrated", "healthy", False),
        15: ("note", "fault", False),
    }
    assert len(found.guesses) == 6


@pytest.mark.parametrize(
    ("text", "bit"),
    [("b3\topen", 3), ("Bit 3: open", 3), ("3. open", 3), ("0x0008\topen", 3), ("3 = open wire", 3), ("open  3", 3)],
)
def test_a_bits_number_however_it_is_written(text: str, bit: int) -> None:
    (found,) = read_bits(text).parts["bits"]
    assert (found["bit"], found["means"]) == (bit, "open circuit")


def test_bits_that_cannot_be_are_told() -> None:
    found = read_bits("1\topen\n1\tshort\n17\tfault\n16\tfault", base=1)
    assert [bit["bit"] for bit in found.parts["bits"]] == [1, 16]
    assert [(t.line, t.says) for t in found.troubles] == [
        (2, "bit 1 was told before"),
        (3, "bit 17 is none of 1 to 16"),
    ]
    mask = read_bits("0x8000\tfault", base=1).parts["bits"]
    assert mask[0]["bit"] == 16


def test_modes_with_their_counts_and_their_codes() -> None:
    found = read_modes(MODES)
    assert found.troubles == []
    told = [
        (m["name"], m["family"], m["signal_unit"], m["signal"], m["counts"], m.get("curve"))
        for m in found.parts["modes"]
    ]
    assert told == [
        ("4 to 20 mA", "linear", "mA", {"low": 4, "high": 20}, {"low": 0, "high": 24000}, None),
        ("±10 V", "linear", "V", {"low": -10, "high": 10}, {"low": -24000, "high": 24000}, None),
        ("Thermocouple type K", "thermocouple", "°C", {"low": -200, "high": 1372}, {"low": -2000, "high": 13720}, "K"),
        ("Pt100", "resistance", "°C", {"low": -200, "high": 850}, {"low": -2000, "high": 8500}, "pt100"),
        ("Resistance", "linear", "Ω", {"low": 0, "high": 400}, {"low": 0, "high": 32767}, None),
    ]  # fmt: skip
    assert found.codes == {"4 to 20 mA": 0, "±10 V": 1, "Thermocouple type K": 2, "Pt100": 3, "Resistance": 4}


def test_a_mode_without_counts_is_a_guess_and_one_without_a_unit_is_told() -> None:
    found = read_modes("Pt100\t-50...150 °C\nX\t0...10\nV\t5...5 V")
    (mode,) = found.parts["modes"]
    assert mode["counts"] == {"low": -500, "high": 1500}
    assert "no counts were told" in found.guesses[0]
    assert [(t.line, t.says) for t in found.troubles] == [
        (2, "“0...10” says no unit: mA, V, mV, °C, °F, K, Ω, Hz or mV/V"),
        (3, "“5...5 V”: the two ends of a span must differ"),
    ]


def test_what_three_tables_say_is_a_module_type_at_once() -> None:
    registers = read_registers(REGISTERS, TABLED, Table.INPUT_REGISTERS).parts
    status = registers["status_words"][0] | read_bits(BITS).parts | {"reset": {"at": 99}}
    modes = read_modes(MODES)
    kind = ModuleType.model_validate(
        registers | modes.parts | {
            "key": "from a manual", "title": "from a manual", "status_words": [status],
            "settings": [{"of": "mode", "codes": modes.codes}],
        }
    )  # fmt: skip
    assert kind.channels == 4
    assert len(kind.flags()) == 4 * 6
    assert kind.mode_named("Pt100") is not None


@pytest.mark.parametrize("reader", [read_bits, read_modes, lambda t: read_registers(t, "from 0", Table.COILS)])
def test_whatever_is_pasted_comes_to_an_end_and_makes_no_error(reader) -> None:  # type: ignore[no-untyped-def]
    for text in (
        "",
        "\n\n",
        "\x00",
        "|" * 5000,
        "1" * 100_000,
        "a\t" * 50_000,
        "1-" * 20_000,
        "±" * 9,
        "Bit\n" * 3000,
    ):
        reader(text)


RTU_BLOCK = """Address | Access | Description | Type | Remarks
30001 | R | Channel 1 measured value | INT16 | 0.1 °C
30002 | R | Channel 2 measured value | INT16 | 0.1 °C
30003 | R | Module status | UINT16 | see below
40001 | R/W | Channel 1 sensor type | UINT16 | 0 = off, 1 = K, 2 = J
40002 | R/W | Channel 2 sensor type | UINT16 |
40003 | R/W | Channel 1 filter | UINT16 | 0 = 50 Hz
40004 | R/W | Channel 2 filter | UINT16 |
40010 | W | Apply configuration | UINT16 | write 1
40011 | W | Save to EEPROM | UINT16 | write 0x55AA
40020 | W | Reset latched faults | UINT16 | write 2"""


def test_what_is_written_is_a_setting_and_what_makes_it_act_stands_behind() -> None:
    found = read_registers(RTU_BLOCK, "with the table's digit", INPUT)
    assert found.troubles == []
    assert found.parts["settings"] == [
        {"of": "mode", "table": "holding registers", "at": 0, "step": 1},
        {"of": "filter", "table": "holding registers", "at": 2, "step": 1},
    ]
    assert [(a["name"], a["at"], a["word"]) for a in found.parts["after_settings"]] == [("apply", 9, 1), ("store", 10, 0x55AA)]  # fmt: skip
    (word,) = found.parts["status_words"]
    assert (word["channels_a_word"], word["reset"]) == (0, {"table": "holding registers", "at": 19, "word": 2})
    assert [run["holds"] for run in found.parts["registers"]] == ["channel words"]


def test_what_can_be_written_stands_in_a_table_that_can_be_written() -> None:
    found = read_registers("0x0000-0x0003\tAI0..AI3 value\tint16\tr\n0x0100-0x0103\tAI0..AI3 range\tuint16\tr/w", "hexadecimal", INPUT)  # fmt: skip
    assert found.parts["settings"] == [{"of": "mode", "table": "holding registers", "at": 256, "step": 1}]


def test_a_status_word_of_two_channels_is_one_for_two() -> None:
    text = "10\tStatus AI0/AI1\tword\n11\tStatus AI2/AI3\tword\n0\tAI0\n1\tAI1\n2\tAI2\n3\tAI3"
    (word,) = read_registers(text, "from 0", INPUT).parts["status_words"]
    assert (word["at"], word["step"], word["channels_a_word"]) == (10, 1, 2)


def test_orders_of_registers_are_taken_and_too_few_places_are_told() -> None:
    swapped = read_registers("0-15\tAI0..AI7 value\tfloat32 (CDAB)", "from 0", INPUT)
    assert swapped.parts["registers"][0]["form"] == {"kind": "float", "bits": 32, "order": "CDAB"}
    few = read_registers("0-7\tAI0..AI7 value\tfloat32", "from 0", INPUT)
    assert few.parts["registers"] == []
    assert few.troubles[0].says == "8 places for 8 numbers of 32 bits"


def test_outputs_and_inputs_of_one_module_are_channels_of_two_kinds() -> None:
    text = """Coil 00001–00004  Output DO1..DO4
Discrete input 10001–10008  Input DI1..DI8
Input register 30001–30002  Analog AI1..AI2"""
    found = read_registers(text, "with the table's digit", INPUT)
    assert found.parts["channels"] == 14
    runs = [(run["holds"], run["table"], run["of"]["first"], run["of"]["count"]) for run in found.parts["registers"]]
    assert runs == [
        ("channel bits", "coils", 0, 4), ("channel bits", "discrete inputs", 4, 8), ("channel words", "input registers", 12, 2),
    ]  # fmt: skip
    assert [(g["first"], g["count"], g["direction"], g["bits"]) for g in found.parts["groups"]] == [
        (0, 4, "out", True), (4, 8, "in", True), (12, 2, "in", False),
    ]  # fmt: skip


def test_counts_stand_in_columns_of_their_own_and_off_is_a_way() -> None:
    text = """Code | Range | Raw low | Raw high
0 | Channel off | |
1 | 4...20 mA | 0 | 27000
4 | -10...+10 V | -27000 | 27000
5 | Type K, -200...1370 °C | -2000 | 13700"""
    found = read_modes(text)
    assert found.troubles == []
    assert found.codes == {"off": 0, "4...20 mA": 1, "-10...+10 V": 4, "Type K, -200...1370 °C": 5}
    spans = [
        (m["counts"]["low"], m["counts"]["high"], m["signal"]["low"], m["signal"]["high"])
        for m in found.parts["modes"]
    ]
    assert spans == [(0, 27000, 4, 20), (-27000, 27000, -10, 10), (-2000, 13700, -200, 1370)]
    assert found.parts["modes"][2]["curve"] == "K"


def test_bits_that_name_channels_are_those_channels() -> None:
    text = "Bit 0  Wire break channel A\nBit 8  Wire break channel B\nBit 15  Module not calibrated"
    bits = read_bits(text).parts["bits"]
    assert [bit.get("of") for bit in bits] == [0, 1, None]
    alone = read_bits("Bit 0  Wire break channel 1\nBit 1  Short circuit").parts["bits"]
    assert [bit.get("of") for bit in alone] == [None, None]


@pytest.mark.parametrize(
    ("line", "place"),
    [
        (
            "30101 | R | Firmware version | UINT16 | major in the high byte",
            {"at": 100, "words": 1, "written": "parts in bytes"},
        ),
        ("30101-30104 | R | Software version | ASCII |", {"at": 100, "words": 4, "written": "text"}),
        ("30101 | R | SW version x100 | UINT16 |", {"at": 100, "words": 1, "written": "hundredths"}),
        ("30101-30102 | R | Firmware | UINT32 |", {"at": 100, "words": 2, "written": "number"}),
    ],
)
def test_where_a_module_says_its_firmware_is_taken_from_its_line(line: str, place: dict[str, object]) -> None:
    """What can be written is no firmware, and a second version is another register of the module."""
    found = read_registers(f"{RTU_BLOCK}\n{line}\n30110 | R | Bootloader firmware version | UINT16 |", "with the table's digit", INPUT)  # fmt: skip
    assert found.parts["firmware"] == {"table": "input registers", **place}
    assert [r["at"] for r in found.parts["registers"] if r["holds"] == "module registers"] == [109]
    assert any("is the firmware" in guess for guess in found.guesses)
