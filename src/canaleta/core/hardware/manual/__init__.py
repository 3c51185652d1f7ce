"""Tables of a manual, pasted as they stand there: the ways a channel can work, the registers, the bits of a status.

Nobody's manual is written for us: cells are apart by tabs, bars, semicolons or wide gaps, ranges are written in many
ways, and a table has headings between its lines. What a line says is taken; what had to be concluded from words is told
as a guess, so that somebody confirms it; a line that says nothing known is told with its number, and none is lost.
"""

from canaleta.core.hardware.manual.bits import read_bits
from canaleta.core.hardware.manual.lines import FromManual, LineTrouble
from canaleta.core.hardware.manual.modes import read_modes
from canaleta.core.hardware.manual.registers import read_registers

__all__ = ["FromManual", "LineTrouble", "read_bits", "read_modes", "read_registers"]
