"""Module types from manuals that nobody here has seen."""

from __future__ import annotations

FOUR = {
    "key": "quad-9",
    "title": "QUAD-9",
    "summary": "from a made-up manual",
    "channels": 4,
    "terminals": [{"mark": "{n}", "role": "plus"}, {"mark": "{n}", "role": "minus"}],
    "modes": [{"name": "4–20 mA", "signal_unit": "mA", "signal": [4, 20], "counts": [800, 4000], "burden_ohm": 50}],
    "registers": [{"holds": "channel words", "count": 4}],
}
