"""What the formulas of a workbook come to, so that programs that do not calculate show it too.

Formulas are those of ECMA-376, part 1, 18.17. What is beyond them here is told, and has no value rather than a wrong
one.
"""

from gonnet.reports.workbook.formulas.calculating import Calculator
from gonnet.reports.workbook.formulas.values import BeyondError, ErrorValue, Value

__all__ = ["BeyondError", "Calculator", "ErrorValue", "Value"]
