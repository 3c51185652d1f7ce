"""The list as a browser opens it."""

from __future__ import annotations

import struct

import numpy as np
import orjson


def unpacked(data: bytes) -> tuple[int, list[int], list[int], dict[str, list[str]]]:
    """(seq, ids, racks, {field: texts}) of a list as `web.kit.columns` lays it out, read as a browser does."""
    (size,) = struct.unpack_from("<I", data)
    head = orjson.loads(data[4 : 4 + size])
    rows, at = head["rows"], 4 + size

    def numbers(width: int = 4) -> list[int]:
        nonlocal at
        found = np.frombuffer(data, f"<u{width}", rows, at).tolist()
        at += width * rows
        return found

    ids, racks = numbers(), numbers()
    columns: dict[str, list[str]] = {}
    for column in head["columns"]:
        if "texts" in column:
            bits = column["bits"]
            places = [
                data[at + row * bits // 8] >> row * bits % 8 & (1 << bits) - 1 if bits else 0 for row in range(rows)
            ]
            columns[column["name"]] = [column["texts"][place] for place in places]
            at += -(-rows * bits // 8)
            continue
        lengths = numbers(column["width"])
        units = data[at : at + column["bytes"]].decode().encode("utf-16-le")
        at += column["bytes"]
        begins = np.cumsum([0, *(length + 1 for length in lengths)]).tolist()
        columns[column["name"]] = [
            units[2 * begin : 2 * (begin + length)].decode("utf-16-le")
            for begin, length in zip(begins, lengths, strict=False)
        ]
    return head["seq"], ids, racks, columns
