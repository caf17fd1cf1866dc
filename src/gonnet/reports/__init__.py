"""Blocks → layout → pdf, xlsx. What is the same for the whole run is planned once; then each slice is only drawn."""

from gonnet.reports.drawing import Drawn, Painter, UnprintableError, draw
from gonnet.reports.pdf.grids import GridPainter
from gonnet.reports.pdf.typed import TypedPainter
from gonnet.reports.plans.models import Look, ReportPlan
from gonnet.reports.plans.planning import plan_reports

__all__ = [
    "Drawn",
    "GridPainter",
    "Look",
    "Painter",
    "ReportPlan",
    "TypedPainter",
    "UnprintableError",
    "draw",
    "plan_reports",
]
