"""What a job says of a workbook that another system made: which sheets or rows of it are whose."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

from pydantic import Field, field_validator, model_validator

from gonnet.jobs.arrivals.common import FILE, ROW, SHEET, Coming, Pattern, Value
from gonnet.jobs.sections import LooksLike, Name, Names, Section

Place = Annotated[str, LooksLike("[A-Za-z]{1,3}[1-9][0-9]{0,6}", "is not a cell; write one such as B3")]


class KeyInWorkbook(Section):
    """What says whose a sheet, or a row, is.

    Attributes:
        sheet: A regular expression for the name of a sheet, whose group `key`, or only group, is the key; or
        cell: the cell that has the key, such as `B3`; or
        column: the heading of the column that has the key of each row, or its letter.
    """

    sheet: Pattern | None = None
    cell: Place | None = None
    column: str | None = None

    @model_validator(mode="after")
    def _one_of_them(self) -> KeyInWorkbook:
        if sum(part is not None for part in (self.sheet, self.cell, self.column)) != 1:
            raise ValueError("a key comes from one of `sheet`, `cell` and `column`")
        return self


class InWorkbook(Value):
    """A value that sheets or rows say.

    Attributes:
        cell: The cell of a sheet that has it, such as `B12`; or
        column: where rows are cut, the heading of the column that has it, or its letter.
    """

    cell: Place | None = None
    column: str | None = None

    @model_validator(mode="after")
    def _one_of_them(self) -> InWorkbook:
        if (self.cell is None) == (self.column is None):
            raise ValueError("a value comes from one of `cell` and `column`")
        return self


class WorkbookRun(Coming):
    """A workbook (XLSX) that another system made for many: cut by sheet, or a sheet by rows.

    Attributes:
        workbook: The file, in the workspace.
        sheet: Where rows are cut, the sheet or sheets that have them; the only one that is shown when left out.
        header: How many rows at the top of such a sheet everybody gets.
        totals: A regular expression: a row whose text has it is the total of all. Each part gets it with the sums of
            its own rows.
        key: What says whose a sheet, or a row, is.
        unmarked: What becomes of a sheet or a row without a key: it is a mistake, or is left out; or a row belongs to
            the one above.
        again: Whether a second sheet of a key, or a row that is not beside its others, is a mistake, or they go
            together.
        leave_out: Regular expressions: a sheet whose name, or a row whose text, has one of them is nobody's.
        read: Values that the sheets or rows of a key say, by name; they are figures.
    """

    formats: ClassVar[tuple[str, ...]] = ("xlsx", "pdf")

    workbook: str
    sheet: Names = ()
    header: int = Field(default=1, ge=0, le=100)
    totals: Pattern | None = None
    key: KeyInWorkbook
    unmarked: Literal["follow", "refuse", "leave out"] = "refuse"
    again: Literal["refuse", "together"] = "together"
    read: dict[Name, InWorkbook] = {}

    @property
    def unit(self) -> str:
        """A row, or a sheet."""
        return "row" if self.key.column is not None else "sheet"

    @property
    def places(self) -> tuple[str, ...]:
        """File and sheet; of a row, its number too."""
        return (FILE, SHEET, ROW) if self.key.column is not None else (FILE, SHEET)

    @field_validator("read")
    @classmethod
    def _names_of_its_own(cls, value: dict[str, InWorkbook]) -> dict[str, InWorkbook]:
        taken = next((name for name in value if name.casefold() in (SHEET, ROW)), None)
        if taken is not None:
            raise ValueError(f"'{taken}' is a column of every workbook that came: give the value another name")
        return value

    @model_validator(mode="after")
    def _as_it_is_cut(self) -> WorkbookRun:
        by_rows = self.key.column is not None
        given = [name for name in ("sheet", "header", "totals") if name in self.model_fields_set]
        if not by_rows and given:
            raise ValueError(f"`{given[0]}` is for rows: `key: {{column: …}}`")
        if not by_rows and self.unmarked == "follow":
            raise ValueError("a sheet follows nobody: write `refuse` or `leave out`")
        wrong = next((name for name, value in self.read.items() if (value.column is not None) != by_rows), None)
        if wrong is not None:
            raise ValueError(f"'{wrong}' must come from a {'column' if by_rows else 'cell'}, as the key does")
        return self
