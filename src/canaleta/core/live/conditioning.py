"""What becomes of a reading in time: filter, delays, stretching, switches on analog values, bands, counters, totals,
chatter, and faults that stay until reset.

One state machine for all points of a rack, driven by time: `step(settings, state, now, …)` returns the next state and
what is shown. No clock, no I/O; time may stand still and never runs backwards.

In order: the status has been judged before (quality) → filter → switch with hysteresis → on-delay and off-delay →
pulse stretching → counter → bands. A value that is bad moves nothing: the state before stays, and a delay under way
begins anew, for it asks for an unbroken condition.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from canaleta.core.live.columns import Columns
from canaleta.core.model.fields import field_named
from canaleta.core.model.image import PlantImage
from canaleta.core.model.mode_table import ModeTable
from canaleta.core.model.quality import Quality, Reason
from canaleta.core.notation.arrays import Bools, Floats, States
from canaleta.core.signals.bands import bands_of
from canaleta.core.signals.signal_types import SIGNALS, Family

__all__ = ["CHATTER_WINDOW_S", "UNKNOWN", "Condition", "Conditioned", "Reading", "Settings", "begin", "step"]

UNKNOWN = np.int8(-1)
CHATTER_WINDOW_S = 10.0
MOST_RING = 64
"""Changes that are remembered for each point; a limit above it is met by this many."""
FAULTS = np.uint32(
    Reason.FAILED_LOW
    | Reason.FAILED_HIGH
    | Reason.OPEN_CIRCUIT
    | Reason.SHORT_CIRCUIT
    | Reason.OUTSIDE_SENSOR
    | Reason.CHANNEL_FAULT
    | Reason.WRONG_SUPPLY
    | Reason.NO_CURRENT_PATH
)
"""What can stay latched: faults of the signal itself. A rack that was silent and answers again is no such fault."""
_EDGES = field_named("counts_on").choices
_CUMULATIVE = np.array([s.unit == "pulses" for s in SIGNALS] + [False])


@dataclass(frozen=True)
class Settings:
    """How each of n points is conditioned. Arrays of shape (n,) unless said otherwise.

    smoothing_s: time constant behind the scaling, 0 for none. contact: whether the value is a state already. on_at,
    off_at: the switch on an analog value, NaN for none. debounce_s: how long a change must last to be one, either way;
    behind it on_delay_s, off_delay_s, stretch_s. edge: index into the
    choices of `counts_on`, -1 for no counter. preset: NaN for none. pulse_value: what one pulse stands for.
    cumulative: the count itself is a number of pulses; wrap: how many counts it has; fastest: pulses a second that it
    can make, NaN where nobody said. chatter_from: changes in CHATTER_WINDOW_S. latches: a fault stays until reset.
    edges: (n, k) edges of bands, padded with infinity; band_count: how many bands, 0 for none; band_deadband.
    """

    smoothing_s: Floats
    contact: Bools
    on_at: Floats
    off_at: Floats
    debounce_s: Floats
    on_delay_s: Floats
    off_delay_s: Floats
    stretch_s: Floats
    edge: NDArray[np.int16]
    preset: Floats
    pulse_value: Floats
    cumulative: Bools
    wrap: Floats
    fastest: Floats
    chatter_from: NDArray[np.int64]
    latches: Bools
    edges: Floats
    band_count: NDArray[np.int64]
    band_deadband: Floats

    def __len__(self) -> int:
        return len(self.smoothing_s)

    @classmethod
    def of(cls, image: PlantImage, rows: NDArray[np.int64]) -> Settings:
        """The settings of some points of a plant, with the plant's own where a point says nothing."""
        report = {
            name: image.number(name)[rows]
            for name in (
                "smoothing_s", "on_at", "off_at", "debounce", "on_delay", "off_delay", "stretch", "preset", "pulse_value",
                "chatter", "bands_deadband", "fastest",
            )
        }  # fmt: skip
        none = {name: np.nan_to_num(column) for name, column in report.items()}
        bands = [bands_of(image.text("bands", row)) if image.cells["bands"][row] else None for row in rows.tolist()]
        widest = max((len(b.edges) for b in bands if b), default=0)
        edges = np.full((len(rows), widest), np.inf)
        for k, found in enumerate(bands):
            if found:
                edges[k, : len(found.edges)] = [float(edge) for edge in found.edges]
        plant, own = image.conventions.faults_end, field_named("fault_ends").choices
        ends, trips = image.code("fault_ends")[rows], image.filled("trips")[rows]
        by_plant = trips if plant == "on reset where it trips" else np.full(len(rows), plant == "on reset")
        off_at = np.where(np.isnan(report["off_at"]), report["on_at"], report["off_at"])
        chatter = np.where(np.isnan(report["chatter"]), image.conventions.chatter_changes, none["chatter"])
        return cls(
            smoothing_s=none["smoothing_s"],
            contact=image.family[rows] == Family.CONTACT,
            on_at=report["on_at"],
            off_at=off_at,
            debounce_s=none["debounce"] / 1000.0,
            on_delay_s=none["on_delay"] / 1000.0,
            off_delay_s=none["off_delay"] / 1000.0,
            stretch_s=none["stretch"] / 1000.0,
            edge=image.code("counts_on")[rows],
            preset=report["preset"],
            pulse_value=np.where(np.isnan(report["pulse_value"]), 1.0, report["pulse_value"]),
            cumulative=_CUMULATIVE[image.code("signal")[rows]],
            wrap=_wrap(image, rows),
            fastest=report["fastest"],
            chatter_from=np.minimum(chatter, MOST_RING).astype(np.int64),
            latches=np.where(ends < 0, by_plant, ends == own.index("on reset")),
            edges=edges,
            band_count=np.array([len(b.names) if b else 0 for b in bands], dtype=np.int64),
            band_deadband=none["bands_deadband"],
        )


def _wrap(image: PlantImage, rows: NDArray[np.int64]) -> Floats:
    """How many counts a counter goes through before it begins again."""
    table: ModeTable = image.layout.mode_table
    most: Floats = table.column("most").astype(np.float64)
    mode = image.mode[rows]
    if not len(most):
        return np.full(len(rows), np.nan)
    return np.where(mode >= 0, most[np.maximum(mode, 0)] + 1.0, np.nan)


@dataclass(frozen=True)
class Condition(Columns):
    """The state of n points between two readings. Arrays of shape (n,); NaN and -1 where nothing is known yet.

    at: when the last step was, s. smooth: the filtered value. read: the state as it is read, read_since: since when.
    raw: the state behind the debounce and before the delays, raw_since: since when. clean: the state that is shown, on_since: since when it is on. ring: (n, MOST_RING) times of the last
    changes of the raw state, newest last. counted: edges counted. last_count: of a cumulative count. total: pulses
    times what one is. rate: in a second; last_edge: when the last one was. latched: faults that wait for a reset.
    band: index.
    """

    at: float
    smooth: Floats
    read: States
    read_since: Floats
    raw: States
    raw_since: Floats
    clean: States
    on_since: Floats
    ring: Floats
    counted: Floats
    last_count: Floats
    total: Floats
    rate: Floats
    last_edge: Floats
    latched: NDArray[np.uint32]
    band: States

    @classmethod
    def begin(cls, n: int) -> Condition:
        """Nothing has come yet."""
        return begin(n)

    def reset(self, where: Bools) -> Condition:
        """Take the latches off some points. A fault that stands comes back with the next reading."""
        return replace(self, latched=np.where(where, np.uint32(0), self.latched).astype(np.uint32))

    def zeroed(self, where: Bools) -> Condition:
        """Set counters and totals of some points back to zero."""
        return replace(self, counted=np.where(where, 0.0, self.counted), total=np.where(where, 0.0, self.total))


def begin(n: int) -> Condition:
    """The state before the first reading."""
    nothing = np.full(n, np.nan)
    unknown = np.full(n, UNKNOWN, dtype=np.int8)
    return Condition(
        at=float("nan"), smooth=nothing, read=unknown, read_since=nothing, raw=unknown, raw_since=nothing, clean=unknown, on_since=nothing,
        ring=np.full((n, MOST_RING), -np.inf), counted=np.zeros(n), last_count=nothing, total=np.zeros(n),
        rate=np.zeros(n), last_edge=nothing, latched=np.zeros(n, dtype=np.uint32), band=unknown,
    )  # fmt: skip


@dataclass(frozen=True)
class Reading:
    """One reading of n points as the path makes it: value, counts, reasons and quality (core.path.evaluate.evaluate). load_ma:
    the current through the loads of outputs that measure it, NaN elsewhere; None where nobody asked."""

    value: Floats
    counts: Floats
    reasons: NDArray[np.uint32]
    quality: NDArray[np.uint8]
    load_ma: Floats | None = None


@dataclass(frozen=True)
class Conditioned:
    """What is shown of n points. value: filtered; of a contact, its clean state. state: 0, 1, or -1 where there is
    none. reasons: with those that are latched or chatter. done: the counter has reached its preset."""

    value: Floats
    state: States
    reasons: NDArray[np.uint32]
    chatters: Bools
    band: States
    done: Bools


def step(settings: Settings, before: Condition, now: float, reading: Reading) -> tuple[Condition, Conditioned]:
    """The state after a reading at `now` (s), and what is shown."""
    moment = max(now, before.at) if np.isfinite(before.at) else now
    elapsed = moment - before.at if np.isfinite(before.at) else np.nan
    good = (reading.quality != Quality.BAD) & (reading.quality != Quality.NONE) & ~np.isnan(reading.value)
    smooth = _smoothed(settings, before, elapsed, reading.value, good)
    value = np.where(settings.contact | ~good, reading.value, smooth)
    read = _read(settings, before.read, value, good)
    read_since = np.where(~good | (read != before.read), moment, before.read_since)
    raw = _settled(settings, before, moment, read, read_since, good)
    changed = (raw != before.raw) & (before.raw >= 0)
    # A delay asks for an unbroken condition: a reading that says nothing begins it anew.
    raw_since = np.where(~good | (raw != before.raw), moment, before.raw_since)
    clean, on_since = _clean(settings, before, moment, raw, raw_since, good)
    ring = before.ring
    if changed.any():
        ring = ring.copy()
        ring[changed, :-1] = ring[changed, 1:]
        ring[changed, -1] = moment
    oldest = ring[np.arange(len(raw)), MOST_RING - np.clip(settings.chatter_from, 1, MOST_RING)]
    chatters = (settings.chatter_from > 0) & (oldest > moment - CHATTER_WINDOW_S)
    counting = _counted(settings, before, moment, elapsed, clean, reading.counts, good)
    fresh = reading.reasons & FAULTS
    latched = np.where(settings.latches, before.latched | fresh, np.uint32(0)).astype(np.uint32)
    waiting = (latched & ~fresh) != 0
    reasons = reading.reasons.copy()
    reasons[waiting] |= np.uint32(Reason.LATCHED)
    reasons[chatters] |= np.uint32(Reason.CHATTERS)
    band = _band(settings, before.band, value, good)
    state = np.where(settings.contact | ~np.isnan(settings.on_at), clean, UNKNOWN).astype(np.int8)
    shown = np.where(settings.contact & good & (clean >= 0), clean.astype(np.float64), value)
    after = Condition(
        at=moment,
        smooth=smooth,
        read=read,
        read_since=read_since,
        raw=raw,
        raw_since=raw_since,
        clean=clean,
        on_since=on_since,
        ring=ring,
        latched=latched,
        band=band,
        **counting,
    )
    done = (
        (settings.edge >= 0)
        & ~np.isnan(settings.preset)
        & (after.counted >= np.nan_to_num(settings.preset, nan=np.inf))
    )
    return after, Conditioned(shown, state, reasons, chatters, band, done)


def _smoothed(settings: Settings, before: Condition, elapsed: float, value: Floats, good: Bools) -> Floats:
    """First order: after its time constant a step is at 63.2 %. It begins at the first good value, and again after a
    gap."""
    if not np.isfinite(elapsed):
        return np.where(good, value, np.nan)
    with np.errstate(divide="ignore", invalid="ignore"):
        share = np.where(settings.smoothing_s > 0, 1.0 - np.exp(-elapsed / settings.smoothing_s), 1.0)
    moved = before.smooth + share * (value - before.smooth)
    moved = np.where(np.isnan(before.smooth) | (share >= 1.0), value, moved)
    return np.where(good, moved, np.nan)


def _read(settings: Settings, was: States, value: Floats, good: Bools) -> States:
    """The state as it is read: a contact's own, or a switch on the value with its hysteresis."""
    at, off = settings.on_at, settings.off_at
    # A switch may work downwards: on below, off again above.
    falling = off > at
    with np.errstate(invalid="ignore"):
        on = np.where(falling, value <= at, value >= at)
        gone = np.where(falling, value > off, value < off)
    switch = np.where(on, 1, np.where(gone, 0, np.where(was < 0, 0, was)))
    wanted = np.where(settings.contact, np.nan_to_num(value) >= 0.5, switch)
    known = good & (settings.contact | ~np.isnan(at))
    return np.where(known, wanted, was).astype(np.int8)


def _settled(settings: Settings, before: Condition, now: float, read: States, since: Floats, good: Bools) -> States:
    """The state behind the debounce. The first that is known holds at once."""
    lasted = good & (now - since >= settings.debounce_s - 1e-9)
    return np.where(lasted | (before.raw < 0), read, before.raw).astype(np.int8)


def _clean(
    settings: Settings, before: Condition, now: float, raw: States, since: Floats, good: Bools
) -> tuple[States, Floats]:
    """The state behind on-delay, off-delay and stretching, and since when it is on."""
    lasted = now - since
    first = before.clean < 0
    may_on = good & (raw == 1) & (lasted >= settings.on_delay_s - 1e-9)
    with np.errstate(invalid="ignore"):
        stretched = now - before.on_since >= settings.stretch_s - 1e-9
    may_off = good & (raw == 0) & (lasted >= settings.off_delay_s - 1e-9) & (stretched | (before.clean != 1))
    clean = before.clean
    clean = np.where((clean == 0) & may_on, 1, np.where((clean == 1) & may_off, 0, clean))
    # The first state that is known holds at once, but an on-delay keeps it off until it has lasted.
    start = np.where((raw == 1) & (settings.on_delay_s > 0), 0, raw)
    clean = np.where(first, np.where(good, start, UNKNOWN), clean).astype(np.int8)
    came = (clean == 1) & (before.clean != 1)
    return clean, np.where(came, now, np.where(clean == 1, before.on_since, np.nan))


def _counted(
    settings: Settings, before: Condition, now: float, elapsed: float, clean: States, counts: Floats, good: Bools
) -> dict[str, Floats]:
    """Counter, total and rate: from clean edges, or from how far a cumulative count has moved."""
    coming, going = (clean == 1) & (before.clean == 0), (clean == 0) & (before.clean == 1)
    edge = np.where(settings.edge == 0, coming, np.where(settings.edge == 1, going, coming | going))
    edge = np.asarray(edge & (settings.edge >= 0), dtype=bool)
    moved = counts - before.last_count
    # A counter that begins again has wrapped, unless that is more than can have passed: then it was set back.
    wrapped = np.where(moved < 0, moved + settings.wrap, moved)
    with np.errstate(invalid="ignore"):
        jumped = (wrapped > settings.wrap / 2) | (wrapped > 1.5 * settings.fastest * elapsed + 1.0 + 1e-6)
    step = np.where(np.isnan(moved) | ~good | jumped, 0.0, wrapped)
    pulses = np.where(settings.cumulative, step, edge.astype(np.float64))
    rate = before.rate
    with np.errstate(invalid="ignore", divide="ignore"):
        between = np.where(edge, 1.0 / (now - before.last_edge), 0.0)
        waiting = np.where(np.isnan(before.last_edge), 0.0, 1.0 / np.maximum(now - before.last_edge, 1e-9))
        # Between two edges the rate can be no more than one in the time that has passed already.
        by_edge = np.where(edge, np.nan_to_num(between, posinf=0.0), np.minimum(rate / settings.pulse_value, waiting))
        by_count = (
            step / elapsed
            if np.isfinite(elapsed) and elapsed > 0
            else np.where(step > 0, np.nan, rate / settings.pulse_value)
        )
    rate = np.nan_to_num(np.where(settings.cumulative, by_count, by_edge)) * settings.pulse_value
    return {
        "counted": before.counted + pulses,
        "last_count": np.where(good & ~np.isnan(counts), counts, before.last_count),
        "total": before.total + pulses * settings.pulse_value,
        "rate": rate,
        "last_edge": np.where(edge, now, before.last_edge),
    }


def _band(settings: Settings, was: States, value: Floats, good: Bools) -> States:
    """The one band that holds each value; an edge belongs to the band above it. With a deadband the band stays until
    the value is that far beyond its edge."""
    width = settings.edges.shape[1]
    if not width:
        return np.full(len(value), UNKNOWN, dtype=np.int8)
    some = good & (settings.band_count > 0)
    plain = (value[:, None] >= settings.edges).sum(axis=1)
    at = np.arange(len(value))
    low = np.where(was > 0, settings.edges[at, np.clip(was - 1, 0, width - 1)], -np.inf)
    last = (was >= width) | (was >= settings.band_count - 1)
    high = np.where(last, np.inf, settings.edges[at, np.clip(was, 0, width - 1)])
    with np.errstate(invalid="ignore"):
        stays = (was >= 0) & (value >= low - settings.band_deadband) & (value < high + settings.band_deadband)
    return np.where(some, np.where(stays, was, plain), np.where(settings.band_count > 0, was, UNKNOWN)).astype(
        np.int8
    )
