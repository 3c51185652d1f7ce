"""What one point says now: its six stations from a reading, and what is wrong, why, and what to do next.

Both are told when somebody asks, and to whoever follows a point with every reading, so that nobody has to ask again.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import asdict
from decimal import Decimal

import numpy as np

from canaleta.core.hardware.loads import expected_load_ma
from canaleta.core.live.advice import NOTHING_CONNECTED, Advice, advice_of
from canaleta.core.model.fields import STATIONS, Station
from canaleta.core.model.image import PlantImage
from canaleta.core.model.quality import Quality, Reason, of_reasons
from canaleta.core.model.resets import resets_of
from canaleta.core.path.evaluate import describe, evaluate, reason_messages, workings
from canaleta.core.path.faults import Fault, evaluate_faulted, faulted, upset_of, words_of
from canaleta.core.sheet.entry import station_figure, switch_words
from canaleta.core.signals.bands import bands_of
from canaleta.core.signals.signal_types import Family
from canaleta.plant.live.blocks import LiveBlock
from canaleta.web.kit.figures import finite, words_in_hex
from canaleta.web.kit.routes import Shape

__all__ = ["AdvicesOut", "PathOut", "StationOut", "WorkingOut", "advice_now", "live_path", "path_from"]


class WorkingOut(Shape):
    """How a number came about."""

    formula: str
    figures: str
    source: str


class StationOut(Shape):
    """One station. figure: as shown, '' if unknown. typed: it is where the value was given."""

    name: str
    figure: str
    unit: str
    lines: list[str]
    given: bool
    working: WorkingOut | None


class PathOut(Shape):
    """The six stations of a point. live: a reading was at hand. age_s: of the reading, by server time;
    read_at: when it was read, s."""

    point: int
    seq: int
    source: str
    stations: list[StationOut]
    quality: str
    reasons: list[str]
    age_s: float | None = None
    read_at: float | None = None
    injected: bool = False
    loop: float | None = None
    value: float | None = None
    fault: str = ""


class AdviceOut(Shape):
    """A fault in words, what it most likely comes from, and what to do next."""

    says: str
    grade: str
    causes: list[str]
    next: str


class AdvicesOut(Shape):
    """Every fault of a point now, worst first. shown: what the controller itself shows, and its difference. load_ma:
    the current through the load of an output that measures it, and what it takes by the list; none where unknown.
    resets: what is written to reset the bits that latch in the module, in words."""

    faults: list[AdviceOut]
    latched: bool
    resets: list[str]
    band: str
    lamp: str
    shown: float | None
    difference: float | None
    load_ma: float | None
    expected_ma: float | None


def live_path(image: PlantImage, row: int, block: LiveBlock | None, now: float) -> PathOut:
    """The path from a reading of the point's channel. block: the newest of its rack, None without one; now: the
    plant's time, s, that its age is told by."""
    at = np.flatnonzero(block.points == image.ids[row]) if block else np.array([], dtype=np.int64)
    told = int(block.reasons[at[0]]) if block is not None and len(at) else 0
    unread = not told or bool(told & (Reason.DISABLED | Reason.RACK_SILENT))
    if block is None or not len(at) or (np.isnan(block.counts[at[0]]) and unread):
        out = path_from(image, row, Station.COUNTS, float("nan"), "live")
        held = "no reading yet" if image.landed[row] else "not landed on a channel: nothing is read"
        if image.text("enabled", row) == "no":
            held = "the channel is not enabled: it is not read"
        return out.model_copy(update={"reasons": [held], "quality": "none"})
    k = int(at[0])
    # What the agent knows of time and of values before counts, as long as it worked with this very list.
    known = (int(block.reasons[k]), float(block.value[k])) if block.seq == image.seq else None
    out = path_from(image, row, Station.COUNTS, float(block.counts[k]), "live", int(block.reasons[k]), known=known)
    return out.model_copy(
        update={
            "age_s": round(max(0.0, now - block.read_at.timestamp()), 3),
            "read_at": block.read_at.timestamp(),
            "injected": bool(block.injected[k]),
            "source": "injected" if block.injected[k] else "live",
        }
    )


def path_from(
    image: PlantImage,
    row: int,
    station: Station,
    value: float,
    source: str,
    extra: int = 0,
    faults: tuple[Fault, ...] = (),
    known: tuple[int, float] | None = None,
) -> PathOut:
    one = image.only(np.array([row]))
    by_row = {0: faults} if faults else {}
    paths = evaluate_faulted(one, station, np.array([value]), by_row)
    figures, words = paths.stations[:, 0], describe(faulted(one, by_row), 0)
    why = workings(faulted(one, by_row), 0, station, value, upset_of(1, by_row))
    reasons = paths.reasons | np.uint32(extra)
    if known is not None:
        reasons, figures[-1] = np.array([known[0]], dtype=np.uint32), known[1]
    quality = of_reasons(reasons, ~np.isnan(figures[-1:]))
    stations = []
    for k, name in enumerate(STATIONS):
        lines = [line for line in words[k].lines if line]
        given = name is station and not np.isnan(value)
        typed = source == "what-if"
        if name is Station.COUNTS and not np.isnan(figures[k]):
            lines = [words_in_hex(image, row, figures[k]), *lines]
        if name is Station.VALUE and (says := switch_words(image, row, float(figures[k]))):
            lines = [says, *lines]
        stations.append(
            StationOut(
                name=name.value,
                figure=station_figure(
                    image,
                    row,
                    k,
                    float(figures[k]),
                    max(words[k].decimals, _given_decimals(value)) if typed and given else words[k].decimals,
                ),
                unit=words[k].unit,
                lines=lines,
                given=given,
                working=WorkingOut(**asdict(worked)) if (worked := why[k]) else None,
            )
        )
    if source == "live" and image.family[row] == Family.LINEAR:
        stations[0].lines = ["implied by the range", *stations[0].lines]
    return PathOut(
        point=int(image.ids[row]),
        seq=image.seq,
        source=source,
        stations=stations,
        quality=Quality(int(quality[0])).name.lower(),
        reasons=reason_messages(image, row, int(reasons[0])),
        loop=finite(figures[2]),
        value=finite(figures[5]),
        fault=words_of(image, row, faults[0]) if faults else "",
    )


def _given_decimals(value: float) -> int:
    """As many decimals as were typed: a given figure is shown to the last digit."""
    return min(8, max(0, -int(Decimal(repr(value)).normalize().as_tuple().exponent)))


_USED = ("tag", "service", "cable", "status", "device_model")


def stations_now(image: PlantImage, block: LiveBlock, points: Iterable[int]) -> dict[int, list[float | None]]:
    """The six stations of those points that the list and the block have, each from its newest count; None where
    unknown."""
    at = {point: k for k, point in enumerate(block.points.tolist())}
    known = [point for point in points if point in at and image.has(point)]
    rows = np.array([image.row_of(point) for point in known], dtype=np.int64)
    paths = evaluate(image, Station.COUNTS, block.counts[[at[point] for point in known]], rows)
    return {point: [finite(float(x)) for x in paths.stations[:, k]] for k, point in enumerate(known)}


def advice_now(image: PlantImage, row: int, block: LiveBlock | None) -> AdvicesOut:
    """What is wrong at a point by a reading. block: the newest of its rack, None without one."""
    nothing = AdvicesOut(
        faults=[],
        latched=False,
        resets=[],
        band="",
        lamp="",
        shown=None,
        difference=None,
        load_ma=None,
        expected_ma=None,
    )
    point = int(image.ids[row])
    at = np.flatnonzero(block.points == point) if block else np.array([], dtype=np.int64)
    if block is None or not len(at):
        return nothing
    k = int(at[0])
    reasons = int(block.reasons[k])
    told = advice_of(image, row, reasons)
    # A point with a name, a device or a cable is used: its open wire is a fault, on every page.
    if reasons & Reason.OPEN_CIRCUIT and not any(image.text(name, row) for name in _USED):
        told = [NOTHING_CONNECTED, *(a for a in told if a.reason is not Reason.OPEN_CIRCUIT)]
    bands, index = bands_of(image.text("bands", row)), int(block.band[k])
    lamps = [part.strip() for part in image.text("bands_lamps", row).split(";")]
    shown = finite(float(block.shown[k]))
    flows = dict(zip(block.loaded.tolist(), block.load_ma.tolist(), strict=True)).get(point, float("nan"))
    return AdvicesOut(
        faults=[_advice(a) for a in told],
        latched=bool(reasons & Reason.LATCHED),
        band=bands.names[index] if bands and 0 <= index < len(bands.names) else "",
        lamp=lamps[index] if 0 <= index < len(lamps) else "",
        shown=shown,
        difference=None if shown is None else finite(shown - float(block.value[k])),
        resets=[r.says for r in resets_of(image.layout, int(image.module[row]), int(image.channel[row]))],
        load_ma=finite(flows),
        expected_ma=finite(float(expected_load_ma(image, np.array([row]), block.counts[k : k + 1])[0]))
        if finite(flows) is not None
        else None,
    )


def _advice(a: Advice) -> AdviceOut:
    return AdviceOut(says=a.says, grade=a.grade, causes=list(a.causes), next=a.next)
