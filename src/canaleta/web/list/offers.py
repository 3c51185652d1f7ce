"""What may be typed into a cell of a point: asked for when a cell is opened, not with the whole list."""

from __future__ import annotations

import numpy as np
from flask import Response, jsonify
from pydantic import Field

from canaleta.core.hardware.offers import offers_for
from canaleta.core.model.fields import STORED
from canaleta.web.kit.access import needs
from canaleta.web.kit.point import PointPath, found
from canaleta.web.kit.problems import PROBLEMS, ProblemError
from canaleta.web.kit.routes import Shape, routes
from canaleta.web.list.sheet import choices_of, misfits_of

__all__ = ["api"]

api = routes("offers", __name__, url_prefix="/api/points", abp_responses=PROBLEMS)


class CellPath(PointPath):
    """A field of a point."""

    field: str = Field(max_length=60)


class CellOfferOut(Shape):
    """A text for the cell. says: what it is, or why it does not fit."""

    text: str
    says: str
    fits: bool


class CellOffersOut(Shape):
    """Texts for the cell, best first."""

    offers: list[CellOfferOut]


@api.get("/<int:point>/offers/<string:field>", responses={200: CellOffersOut})
@needs("read")
def offers(path: CellPath) -> Response:
    """Free channels that take the point, modes its module has, units of its quantity, the device's own range."""
    image, row = found(path.point)
    field = next((f for f in STORED if f.name == path.field), None)
    if field is None:
        raise ProblemError(404, f"there is no field “{path.field}”", remedy="reload the page")
    told = [CellOfferOut(text=o.text, says=o.says, fits=o.fits) for o in offers_for(image, row, field.name)]
    if not told:
        one = image.only(np.array([row]))
        unfit = misfits_of(one, 0, field)
        texts = choices_of(one, 0, field)
        told = [CellOfferOut(text=text, says=unfit.get(text, ""), fits=text not in unfit) for text in texts]
    return jsonify(CellOffersOut(offers=told).model_dump())
