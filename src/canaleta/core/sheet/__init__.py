"""The list as people read and type it: what an entry means, what follows from it, what two lists differ in."""

from canaleta.core.sheet.differences import differences
from canaleta.core.sheet.document import read_document
from canaleta.core.sheet.entry import read_station
from canaleta.core.sheet.follows import FOLLOWING

__all__ = ["FOLLOWING", "differences", "read_document", "read_station"]
