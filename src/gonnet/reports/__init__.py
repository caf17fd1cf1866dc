"""Blocks → layout → pdf, xlsx. What is the same for the whole run is settled once; then each slice is only drawn."""

from gonnet.reports.drawing import Drawn, Painter, UnprintableError, draw
from gonnet.reports.plan import settle
from gonnet.reports.planned import Look, ReportPlan

__all__ = ["Drawn", "Look", "Painter", "ReportPlan", "UnprintableError", "draw", "settle"]
