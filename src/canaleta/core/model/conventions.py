"""The plant's conventions: what differs between plants, set once and obeyed everywhere."""

from __future__ import annotations

from functools import cached_property
from typing import Literal, get_args

from pydantic import BaseModel, ConfigDict, Field, ValidationInfo, field_validator, model_validator

from canaleta.core.model.supplies import Feeds, read_feeds
from canaleta.core.notation.networks import rack_networks
from canaleta.core.notation.patterns import compiled
from canaleta.core.notation.tags import own_letters, shape_of

__all__ = ["Conventions", "Namur", "Programming", "Reserve", "Testing", "Trimming", "fault_grades"]


class Namur(BaseModel):
    """Limits of the signal ranges in mA after NAMUR NE 43 (2003); the plant may set its own."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    failed_low_ma: float = Field(
        default=3.6, ge=0, le=25, description="at and below it the device says it failed, mA"
    )
    good_from_ma: float = Field(default=3.8, ge=0, le=25, description="the good range begins, mA")
    good_to_ma: float = Field(default=20.5, ge=0, le=25, description="the good range ends, mA")
    failed_high_ma: float = Field(default=21.0, ge=0, le=25, description="at and above it the device failed, mA")
    after_s: float = Field(default=4.0, ge=0, le=60, description="how long it must last, s")

    @model_validator(mode="after")
    def _in_order(self) -> Namur:
        limits = (self.failed_low_ma, self.good_from_ma, self.good_to_ma, self.failed_high_ma)
        if list(limits) != sorted(set(limits)):
            raise ValueError("the four limits rise: failed low, good from, good to, failed high")
        return self


class Reserve(BaseModel):
    """Spare policy: shares of the channels of a cabinet, and the words its spares carry."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    spare_share: float = Field(default=0.2, ge=0, le=1, description="share of channels kept spare in each cabinet")
    wired_share: float = Field(default=0.0, ge=0, le=1, description="share of those spares landed on terminals")
    spares: Literal["as they are", "switched off"] = Field(
        default="as they are", description="whether unused channels that can be switched off are to be"
    )


class Trimming(BaseModel):
    """What a channel is trimmed by, and when that is refused. Percentages are of the counts over the signal's span."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    samples: int = Field(default=20, ge=3, le=600, description="samples of a level whose mean is taken when trimming")
    noise_percent: float = Field(
        default=0.05, gt=0, le=5, description="most scatter of a level when trimming, standard deviation, % of span"
    )
    most_percent: float = Field(
        default=2.0, gt=0, le=20, description="how far from its data sheet a channel may be to be trimmed, % of span"
    )
    apart_percent: float = Field(
        default=50.0, ge=10, le=100, description="how far apart levels must be when trimming, % of span"
    )


class Testing(BaseModel):
    """By what rule the result of a test is decided (JCGM 106)."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    rule: Literal["simple acceptance", "guard band", "refuse below the ratio"] = Field(
        default="simple acceptance", description="what decides a test whose instrument's accuracy is known"
    )
    least_ratio: float = Field(
        default=4.0, ge=1, le=100, description="least ratio of tolerance to expanded uncertainty (k = 2) of a test"
    )
    guard_share: float = Field(
        default=1.0, gt=0, le=2, description="guard band, as a share of the expanded uncertainty"
    )
    interval_days: int = Field(
        default=365, ge=1, le=7300, description="days for which a loop check holds, where no drift says sooner"
    )
    signatures: int = Field(
        default=1, ge=1, le=2, description="people who sign a loop check before its point is accepted"
    )


class Programming(BaseModel):
    """What the controller takes: names, types, rounding and the period of the task that the generated code runs in."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    prefix: str = Field(
        default="", max_length=12, description="what names in the controller begin with: letters, digits and _"
    )
    longest_name: int = Field(
        default=32, ge=12, le=255, description="longest name that the controller takes, characters"
    )
    real: Literal["REAL", "LREAL"] = Field(default="REAL", description="type that the controller works out values in")
    rounding: Literal["half to even", "half away from zero", "cut off"] = Field(
        default="half to even", description="what the controller makes of a half when a real becomes a whole number"
    )
    time_bits: Literal[32, 64] = Field(default=32, description="bits of a TIME in the controller")
    scan_ms: float = Field(
        default=100.0, ge=0.1, le=60_000, description="period of the task that runs the generated code, ms"
    )

    @field_validator("prefix")
    @classmethod
    def _is_a_name(cls, text: str) -> str:
        if text and not (text.isascii() and text.isidentifier() and text[0] != "_" and "__" not in text):
            raise ValueError(f"“{text}” does not begin a name: a letter, then letters, digits and _")
        return text


_Grade = Literal["bad", "settle", "note", "off"]


_RULE = compiled(r"[Rr]\d{2,3}[A-Z]?")


def _grades(text: str) -> dict[str, _Grade]:
    """{rule: grade} of "R37 off; R25 note". Raises ValueError naming the part that cannot be read."""
    out: dict[str, _Grade] = {}
    for part in (p.strip() for p in text.split(";") if p.strip()):
        name, _, grade = part.partition(" ")
        known = next((g for g in get_args(_Grade) if g == grade.strip().lower()), None)
        if known is None or not _RULE.fullmatch(name):
            raise ValueError(f"“{part}”: write a rule and bad, settle, note or off, as in R37 off")
        out[name.upper()] = known
    return out


def fault_grades(text: str) -> dict[str, _Grade]:
    """{words of a fault: grade} of "open circuit note; it chatters bad". Raises ValueError naming what cannot be
    read."""
    out: dict[str, _Grade] = {}
    for part in (p.strip() for p in text.split(";") if p.strip()):
        name, _, grade = part.rpartition(" ")
        known = next((g for g in get_args(_Grade) if g == grade.lower()), None)
        if known is None or not name.strip():
            raise ValueError(f"“{part}”: write the words of a fault and bad, settle, note or off: open circuit note")
        out[name.strip().lower()] = known
    return out


class Conventions(BaseModel):
    """Conventions of one plant: units, numbering, supplies, quality limits, colours, rules for names."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    channel_base: int = Field(default=1, ge=0, le=1, description="number of the first channel of a module")
    bit_base: int = Field(default=0, ge=0, le=1, description="number of the first bit of a word, as words show it")
    supply_v: float = Field(default=24.0, gt=0, le=60, description="nominal DC supply, V")
    least_supply_v: float = Field(default=20.4, gt=0, le=60, description="least DC supply, V (24 V − 15 %)")
    greatest_supply_v: float = Field(default=28.8, gt=0, le=60, description="greatest DC supply, V (24 V + 20 %)")
    mains_v: float = Field(default=230.0, ge=24, le=400, description="mains of AC contacts, V")
    mains_hz: Literal[50, 60] = Field(default=50, description="mains frequency, Hz")
    filter_ms: float = Field(default=100.0, ge=0, le=60_000, description="filter of a new analog channel, ms")
    on_failure: Literal["as read", "up-scale", "down-scale", "hold last", "substitute"] = Field(
        default="as read", description="what a value becomes when its signal has failed, unless the point says so"
    )
    namur: Namur = Namur()
    trimming: Trimming = Trimming()
    testing: Testing = Testing()
    program: Programming = Programming()
    clamp_low_share: float = Field(default=0.0125, ge=0, le=0.25, description="clamp below the span, share of span")
    clamp_high_share: float = Field(default=0.03125, ge=0, le=0.25, description="clamp above the span, share of span")
    agreement_share: float = Field(
        default=0.001, gt=0, le=0.05, description="two ranges agree within this share of span"
    )
    stale_after_periods: float = Field(
        default=2.0, ge=1, le=100, description="scan periods after which a live value is stale"
    )
    cabinet_ambient_degc: float = Field(
        default=24.0, ge=-40, le=85, description="temperature at the terminals, °C, where no module measures it"
    )
    hottest_cable_degc: float = Field(default=70.0, ge=20, le=105, description="hottest a cable gets, °C")
    cable_mm2: float = Field(default=0.75, gt=0, le=10, description="cross-section of a new signal core, mm²")
    ambient_bar: float = Field(default=1.01325, gt=0.3, le=1.2, description="absolute pressure of the air, bar")
    unit_system: Literal["bar and °C", "kPa and °C", "psi and °F"] = Field(
        default="bar and °C", description="units offered first"
    )
    thermocouple_colours: Literal[
        "IEC 60584-3", "ANSI MC96.1", "BS 1843", "DIN 43714", "JIS C 1610", "NF C 42-324"
    ] = Field(default="IEC 60584-3", description="colours of thermocouple wires; in some red is plus, in some minus")
    tag_rule: str = Field(
        default="",
        max_length=120,
        description="shape of a tag: A a letter, 9 a digit, * anything, [ ] may be left out, | or; others as they are",
    )
    tag_letters: str = Field(
        default="",
        max_length=2000,
        description="the plant's own meanings of letters, before those of ISA-5.1: MS motor feedback; XS safety contact",
    )
    address_rule: str = Field(
        default="",
        max_length=120,
        description="a rack's network address: 192.168.{cabinet}.{rack}, with the numbers of both names",
    )
    rack_networks: str = Field(
        default="127.0.0.0/8 port 502, 127.0.0.0/8 ports 1024-65535",
        max_length=400,
        description="networks and ports that racks may be reached at, with commas: 192.168.10.0/24 port 502; an administrator's matter",
    )
    stand_ins: Literal["follow the list", "stay as they are"] = Field(
        default="follow the list",
        description="whether a simulated rack becomes what the list says of it; one that stays can be practised on",
    )
    second_signature: Literal["asked", "not asked"] = Field(
        default="asked", description="whether a revision is checked by somebody else than who put it up"
    )
    least_band_steps: float = Field(
        default=4.0,
        ge=1,
        le=1000,
        description="steps of the converter that a band between two edges is wide at least",
    )
    least_deadband_steps: float = Field(
        default=2.0,
        ge=0,
        le=1000,
        description="steps of the converter that a deadband is wide at least: its last digit moves by one",
    )
    deadband_sigmas: float = Field(
        default=6.0,
        ge=0,
        le=100,
        description="standard deviations of the value's own noise that a deadband is wide at least",
    )
    supplies: str = Field(
        default="",
        max_length=8000,
        description="supplies and fuses that points may be fed from: G1 24 V 20.4 to 28.8 V 10 A; F12 of G1 2 A",
    )
    severities: str = Field(
        default="",
        max_length=2000,
        description="how the plant takes a rule's findings, where not as usual: R37 off; R25 note; R49 settle; R10 bad",
    )
    faults_end: Literal["by itself", "on reset", "on reset where it trips"] = Field(
        default="on reset where it trips", description="when a fault of a signal ends, unless the point says so"
    )
    fault_alarms: Literal["no", "yes", "where it trips or is used"] = Field(
        default="where it trips or is used",
        description="whether a failed signal is an alarm, unless the point says so",
    )
    fault_grades: str = Field(
        default="",
        max_length=1000,
        description="how the plant takes faults of signals, where not as usual: open circuit note; it chatters bad",
    )
    chatter_changes: int = Field(
        default=8, ge=2, le=64, description="changes of a discrete in ten seconds from which it is said to chatter"
    )
    chattering_alarm: int = Field(
        default=3, ge=2, le=50, description="times an alarm comes in a minute from which it is listed as chattering"
    )
    standing_h: float = Field(
        default=24.0, gt=0, le=720, description="hours after which an alarm that stays is listed as standing"
    )
    never_came_days: int = Field(
        default=365, ge=30, le=3650, description="days after which an alarm that did not come once is asked about"
    )
    racks_looked_at: str = Field(
        default="",
        pattern=r"^$|^([01][0-9]|2[0-3]):[0-5][0-9]$",
        description="when every day each rack is held against list and issue, by the clock of the machine that reads it: 02:30; empty for never",
    )
    trend_days: int = Field(default=31, ge=1, le=400, description="days that trends are kept")
    longest_force_min: int = Field(
        default=480, ge=1, le=10_080, description="minutes after which a force or other temporary change is overdue"
    )
    reserve: Reserve = Reserve()

    @field_validator("fault_grades")
    @classmethod
    def _faults_can_be_graded(cls, text: str) -> str:
        fault_grades(text)
        return text

    @cached_property
    def grades(self) -> dict[str, _Grade]:
        """By rule, how the plant takes what it finds."""
        return _grades(self.severities)

    @cached_property
    def feeds(self) -> Feeds:
        """The plant's supplies and fuses."""
        return read_feeds(self.supplies)

    @field_validator("supplies")
    @classmethod
    def _can_feed(cls, text: str) -> str:
        read_feeds(text)
        return text

    @field_validator("severities")
    @classmethod
    def _can_be_graded(cls, text: str) -> str:
        _grades(text)
        return text

    @field_validator("tag_rule", "tag_letters")
    @classmethod
    def _can_be_read(cls, text: str, info: ValidationInfo) -> str:
        (shape_of if info.field_name == "tag_rule" else own_letters)(text)
        return text

    @field_validator("rack_networks")
    @classmethod
    def _are_networks(cls, text: str) -> str:
        rack_networks(text)
        return text
