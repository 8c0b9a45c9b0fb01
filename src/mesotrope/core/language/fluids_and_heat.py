"""The shape of what is known of brake fluids, of heat, and of bedding linings in."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from mesotrope.core.language.known import Basis, Known, Worded


class FluidGrade(Known):
    """A fluid's least boiling points, °C, by its standard."""

    id: str
    dry_c: float
    wet_c: float
    family: Literal["glycol", "silicone"]
    source: str
    note: str


class HeatFigures(Known):
    """Figures of rotors and of the air that cools them."""

    iron_cold_c: float
    iron_cold_j_kg_k: float
    iron_hot_c: float
    iron_hot_j_kg_k: float
    cooling_at_rest_s: float
    cooling_speed_kmh: float
    film_at_rest_w_m2_k: float
    film_per_kmh_w_m2_k: float
    face_share: float
    engine_efficiency: float
    fuel_j_per_l: float
    lining_mm3_per_mj: float
    lining_face_share: float
    basis: dict[str, str]


class BeddingStep(Known):
    from_kmh: float
    to_kmh: float
    times: Annotated[int, Field(ge=1)]


class BeddingSchool(Worded):
    """One way of bedding pads in. Without steps it is a distance of gentle driving."""

    id: str
    steps: tuple[BeddingStep, ...] = ()
    target_c: float = 0.0
    limit_c: float = 0.0
    least_pause_s: float = 0.0
    deceleration_m_s2: float = 3.0
    cooling_drive_kmh: float = 60.0
    cooling_drive_minutes: float = 0.0
    distance_km: float = 0.0
    average_kmh: float = 50.0
    warnings: tuple[str, ...] = ()
    basis: Basis = "common practice"
