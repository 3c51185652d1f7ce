"""Our qualities as other systems say them: status codes of OPC UA, words in JSON."""

from __future__ import annotations

from asyncua.ua.status_codes import StatusCodes

from canaleta.core.model.quality import Quality, Reason

__all__ = ["QUALITY_WORDS", "status_of"]

QUALITY_WORDS = {Quality.GOOD: "good", Quality.DOUBTFUL: "doubtful", Quality.BAD: "bad", Quality.NONE: "none"}

_UNCERTAIN: tuple[tuple[Reason, int], ...] = (
    (Reason.SUBSTITUTED, StatusCodes.UncertainSubstituteValue),
    (Reason.FORCED, StatusCodes.UncertainSubstituteValue),
    (Reason.HELD, StatusCodes.UncertainLastUsableValue),
    (Reason.NOT_CALIBRATED, StatusCodes.UncertainSensorNotAccurate),
    (Reason.UNDER_RANGE | Reason.OVER_RANGE, StatusCodes.UncertainEngineeringUnitsExceeded),
    (Reason.AT_LIMIT_LOW | Reason.AT_LIMIT_HIGH, StatusCodes.UncertainEngineeringUnitsExceeded),
    (Reason.STARVED_LOOP | Reason.TWO_TEMPERATURES, StatusCodes.UncertainSensorNotAccurate),
)
_BAD: tuple[tuple[Reason, int], ...] = (
    (Reason.DISABLED, StatusCodes.BadOutOfService),
    (Reason.RACK_SILENT, StatusCodes.BadNoCommunication),
    (Reason.REGISTER_REFUSED, StatusCodes.BadNotConnected),
    (Reason.MODULE_FAULT | Reason.SUPPLY_FAULT, StatusCodes.BadDeviceFailure),
    (Reason.NO_MODE | Reason.NOT_SCALED | Reason.MODE_MISFIT | Reason.WRONG_SUPPLY, StatusCodes.BadConfigurationError),
    (
        Reason.FAILED_LOW | Reason.FAILED_HIGH | Reason.OPEN_CIRCUIT | Reason.SHORT_CIRCUIT | Reason.OUTSIDE_SENSOR
        | Reason.CHANNEL_FAULT | Reason.LATCHED | Reason.NO_CURRENT_PATH,
        StatusCodes.BadSensorFailure,
    ),
)  # fmt: skip


def status_of(quality: int, reasons: int, *, read: bool = True, stale: bool = False) -> int:
    """The status code (OPC 10000-4, 7.39, and OPC 10000-8, annex A) of a value. Its severity is that of our quality, always:
    good, uncertain or bad; its reason is the most telling of ours."""
    if not read:
        return int(StatusCodes.BadWaitingForInitialData)
    if stale:
        return int(StatusCodes.BadNoCommunication)
    if quality == Quality.GOOD:
        return int(StatusCodes.Good)
    if quality == Quality.DOUBTFUL:
        return int(next((code for reason, code in _UNCERTAIN if reasons & reason), StatusCodes.Uncertain))
    return int(next((code for reason, code in _BAD if reasons & reason), StatusCodes.Bad))
