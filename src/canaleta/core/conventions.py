"""The plant's conventions: what differs between plants, set once and obeyed everywhere."""

from __future__ import annotations

from pydantic import BaseModel, ConfigDict, Field

__all__ = ["Conventions", "Namur"]


class Namur(BaseModel):
    """Limits of the signal ranges in mA after NAMUR NE 43 (2003); the plant may set its own."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    failed_low_ma: float = 3.6
    good_from_ma: float = 3.8
    good_to_ma: float = 20.5
    failed_high_ma: float = 21.0


class Conventions(BaseModel):
    """Conventions of one plant.

    agreement_share: two ranges agree when they differ by no more than this share of span.
    stale_after_periods: a live value older than this many scan periods is stale.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    channel_base: int = Field(default=1, ge=0, le=1)
    supply_v: float = 24.0
    least_supply_v: float = 20.4
    namur: Namur = Namur()
    agreement_share: float = Field(default=0.001, gt=0, le=0.05)
    stale_after_periods: float = Field(default=2.0, ge=1)
    cabinet_ambient_degc: float = 24.0
