"""What each mode of a module type makes of a signal, before anybody relies on it. Figures by hand."""

from canaleta.catalogue.types import module_types
from canaleta.core.hardware.type_preview import ModePreview, mode_previews, signal_for

TYPES = module_types()


def preview(key: str, mode: str) -> ModePreview:
    return next(p for p in mode_previews(TYPES[key]) if p.mode == mode)


def test_every_mode_of_every_type_finds_a_signal_and_shows_rows() -> None:
    for kind in TYPES.values():
        for one in mode_previews(kind):
            assert one.signal, f"{kind.key}, {one.mode}"
            assert one.rows, f"{kind.key}, {one.mode}"


def test_a_current_mode_at_its_ends_and_middle() -> None:
    """4–20 mA on 0…32 000 over 100 Ω: 4 mA are 0.4 V and count 0, 12 mA 16 000, 20 mA 32 000."""
    one = preview("ai8-ui", "4–20 mA")
    assert one.signal == "4–20 mA"
    assert [row[1] for row in one.rows] == ["4.000 mA", "12.000 mA", "20.000 mA"]
    assert [row[3] for row in one.rows] == ["0", "16\u202f000", "32\u202f000"]


def test_a_thermocouple_mode_shows_millivolts_and_tenths_of_a_degree() -> None:
    """The count is tenths of a degree: what is shown as °C is a tenth of the count."""
    one = preview("tc8", "TC K, 0.1 °C")
    assert one.signal == "TC K"
    for degrees, _, _, count in one.rows:
        shown = float(degrees.removesuffix(" °C").replace("\u202f", "").replace("\u2212", "-"))
        assert abs(float(count.replace("\u202f", "").replace("\u2212", "-")) - 10 * shown) <= 1


def test_a_contact_mode_shows_both_states() -> None:
    one = preview("di16-24v", "24 V DC")
    assert [row[3] for row in one.rows] == ["0", "1"]


def test_an_output_mode_is_meant_for_a_load_and_an_input_mode_for_a_contact() -> None:
    switch = next(m for m in TYPES["di16-24v"].modes if m.name == "24 V DC")
    inward, outward = signal_for(switch), signal_for(switch, output=True)
    assert inward is not None
    assert outward is not None
    assert (inward.switch, outward.switch) == ("contact", "load")
