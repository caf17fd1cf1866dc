"""Documents that other systems made for many: whose each part of them is, and the parts."""

from gonnet.arrivals.folders import read_folder
from gonnet.arrivals.models import Arrived, Page
from gonnet.arrivals.runs import read_run

__all__ = ["Arrived", "Page", "read_folder", "read_run"]
