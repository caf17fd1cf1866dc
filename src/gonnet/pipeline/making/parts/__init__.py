"""Parts of arrivals: taken while packages are made, from the very file that was read."""

from gonnet.pipeline.making.parts.kit import ArrivalKit, NoPartError, Part
from gonnet.pipeline.making.parts.taking import Parts

__all__ = ["ArrivalKit", "NoPartError", "Part", "Parts"]
