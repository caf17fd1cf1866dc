"""Files → the run's DuckDB, locked once loaded; parameters and the periods they stand for."""

from gonnet.data.engine import ColumnType, Engine, quoted
from gonnet.data.loading import load, look_at
from gonnet.data.parameters import Month, Values, resolve

__all__ = ["ColumnType", "Engine", "Month", "Values", "load", "look_at", "quoted", "resolve"]
