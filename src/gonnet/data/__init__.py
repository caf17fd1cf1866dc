"""Files → the run's DuckDB, locked once loaded; parameters and the periods they stand for."""

from gonnet.data.engine import Columns, ColumnType, Engine, quoted
from gonnet.data.loading import Loaded, load
from gonnet.data.looking import LookedAt, look_at, look_at_query
from gonnet.data.parameters import Values, resolve
from gonnet.data.periods import Period, Periods
from gonnet.data.sql.names import Names, names_in, names_in_order

__all__ = [
    "ColumnType",
    "Columns",
    "Engine",
    "Loaded",
    "LookedAt",
    "Names",
    "Period",
    "Periods",
    "Values",
    "load",
    "look_at",
    "look_at_query",
    "names_in",
    "names_in_order",
    "quoted",
    "resolve",
]
