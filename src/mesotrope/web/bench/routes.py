"""The bench's screen: instruments that send readings into the field under the cursor of a job's page."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np
from fastapi import APIRouter, Query, Request
from fastapi.responses import Response

from mesotrope.bench.instruments import KINDS, ByHand, OnVehicle, vehicle_numbered
from mesotrope.errors import NotFound
from mesotrope.web.context import InShop, SignedIn
from mesotrope.web.rendering import render

router = APIRouter(prefix="/bench")

Number = Annotated[int, Query(ge=1, le=9999)]
VehicleKind = Annotated[Literal["car", "light_truck", "motorcycle"], Query()]


@router.get("")
def bench_page(request: Request, who: SignedIn, vehicle: Number = 7, kind: VehicleKind = "car") -> Response:
    simulated = vehicle_numbered(vehicle, kind)
    corners = [(name, name.words) for name in simulated.build.corners]
    instruments = [
        (k, [(place, place.replace("_", " ")) for place in k.places], k.id != "torque_wrench") for k in KINDS.values()
    ]
    return render(
        "bench/page.html", request, who=who, vehicle=vehicle, kind=kind, corners=corners, instruments=instruments
    )


@router.get("/reading")
def reading(
    shop: InShop,
    who: SignedIn,
    instrument: Annotated[str, Query(max_length=40)],
    corner: Annotated[str, Query(max_length=40)] = "",
    place: Annotated[str, Query(max_length=40)] = "",
    value: Annotated[float | None, Query(allow_inf_nan=False)] = None,
    vehicle: Number = 7,
    kind: VehicleKind = "car",
) -> dict[str, str]:
    """One reading as the line that the instrument sends."""
    known = KINDS.get(instrument)
    if known is None:
        raise NotFound("instrument")
    random = np.random.default_rng()
    if value is not None:
        return {"line": ByHand(known, value, random).read().line}
    return {"line": OnVehicle(known, vehicle_numbered(vehicle, kind), random).read(corner, place).line}
