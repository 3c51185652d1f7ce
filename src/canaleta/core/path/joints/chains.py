"""The chains: which joints, in which order, make the path of each family of signals, and who says it in words."""

from __future__ import annotations

from canaleta.core.path.joints import (
    contact,
    contact_words,
    linear,
    linear_words,
    scaling_words,
    temperature,
    temperature_words,
)
from canaleta.core.path.joints.base import Chain
from canaleta.core.path.joints.converter import AffineConverter
from canaleta.core.signals.signal_types import Family

__all__ = ["CHAINS", "CONTACT", "LINEAR"]

LINEAR = Chain(
    joints=(linear.DeviceJoint(), linear.SignalJoint(), linear.InputJoint(), AffineConverter(), linear.SCALING),
    workings=(
        linear_words.device_working,
        linear_words.signal_working,
        linear_words.input_working,
        linear_words.converter_working,
        scaling_words.scaling_working,
    ),
    reasons=linear.reasons,
    describe=linear_words.describe,
    limits=linear_words.limits,
)
_THERMOCOUPLE = Chain(
    joints=(
        temperature.ElementJoint(),
        temperature.JunctionJoint(),
        temperature.CompensationJoint(),
        temperature.CONVERTER,
        temperature.SCALING,
    ),
    workings=(
        temperature_words.element_working,
        temperature_words.junction_working,
        temperature_words.compensation_working,
        temperature_words.converter_working,
        scaling_words.scaling_working,
    ),
    reasons=temperature.reasons_for(Family.THERMOCOUPLE),
    describe=temperature_words.describe_thermocouple,
)
_RESISTANCE = Chain(
    joints=(
        temperature.ElementJoint(),
        temperature.LeadJoint(),
        temperature.WireJoint(),
        temperature.CONVERTER,
        temperature.SCALING,
    ),
    workings=(
        temperature_words.element_working,
        temperature_words.lead_working,
        temperature_words.wire_working,
        temperature_words.converter_working,
        scaling_words.scaling_working,
    ),
    reasons=temperature.reasons_for(Family.RESISTANCE),
    describe=temperature_words.describe_resistance,
)
CONTACT = Chain(
    joints=(
        contact.ContactJoint(),
        contact.CircuitJoint(),
        contact.LevelJoint(),
        contact.BitJoint(),
        contact.SenseJoint(),
    ),
    workings=(
        contact_words.contact_working,
        contact_words.circuit_working,
        contact_words.level_working,
        contact_words.bit_working,
        contact_words.sense_working,
    ),
    reasons=contact.reasons,
    describe=contact_words.describe,
)
CHAINS: dict[Family, Chain] = {
    Family.LINEAR: LINEAR,
    Family.THERMOCOUPLE: _THERMOCOUPLE,
    Family.RESISTANCE: _RESISTANCE,
    Family.CONTACT: CONTACT,
}
