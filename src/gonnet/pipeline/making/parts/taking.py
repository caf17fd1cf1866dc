"""Taking parts of the arrivals of a run, whatever their kind."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace

from gonnet.jobs.arrivals import Folder, PdfRun, TextRun, WorkbookRun
from gonnet.pipeline.making.parts.folders import FolderSource
from gonnet.pipeline.making.parts.kit import ArrivalKit, NoPartError, Part, Rows, Source, usable
from gonnet.pipeline.making.parts.pdf_runs import PdfSource
from gonnet.pipeline.making.parts.text_runs import TextSource
from gonnet.pipeline.making.parts.workbooks import WorkbookSource
from gonnet.reports import Drawn, Look
from gonnet.reports.layout.models import Layout
from gonnet.reports.plans.models import PageForm

_KINDS: Mapping[type, type] = {
    PdfRun: PdfSource,
    Folder: FolderSource,
    TextRun: TextSource,
    WorkbookRun: WorkbookSource,
}


class Parts:
    """Takes parts; keeps the files of arrivals open, so it is made once per process."""

    def __init__(self, kits: Mapping[str, ArrivalKit]) -> None:
        self._kits = kits
        self._sources: dict[str, Source] = {name: _KINDS[type(kit.spec)](kit) for name, kit in kits.items()}

    def kit(self, name: str) -> ArrivalKit | None:
        """What is known of an arrival; None for what is none."""
        return self._kits.get(name)

    def rest(self) -> None:
        """Give back what is of one package alone."""
        for source in self._sources.values():
            source.rest()

    def take(
        self, kit: ArrivalKit, rows: Rows, whom: str, title: str, form: str, look: Look, *, is_locked: bool
    ) -> Part:
        """The part that some rows are, which are those of `whom`, as a file of its own, perhaps with a password later.

        Raises:
            NoPartError: there are no rows, they cannot be taken, or the file is another one than the one that was read.
        """
        with usable():
            return self._of(kit, rows, whom).part(rows, title, form, look, is_locked=is_locked)

    def layout(self, kit: ArrivalKit, rows: Rows, whom: str, look: Look) -> Layout:
        """The pages of some rows, which are those of `whom`, among other parts of a document.

        Raises:
            NoPartError: as for `take`.
        """
        from gonnet.arrivals.cutting import seen_size

        with usable():
            pages = self._of(kit, rows, whom).pages(rows, look)
            sizes = tuple(seen_size(cutter.page(number)) for cutter, number in pages)
        (width, height), style = sizes[0], look.style
        margins = (0.0, 0.0, 0.0, 0.0)
        form = PageForm(
            paper=style.paper, landscape=False, width=width, height=height, margins=margins, watermark=style.watermark
        )
        return Layout(
            title=kit.titles[look.house.locale],
            sheet="",
            header="",
            footer="",
            page=form,
            blocks=(),
            merged=(),
            view=kit.view,
            inserted=sizes,
        )

    def put_in(self, drawn: Drawn, inserted: Sequence[tuple[int, ArrivalKit, Rows]], look: Look) -> Drawn:
        """A file with the pages of some rows in it, from given layouts on: number of the layout, arrival and rows."""
        from gonnet.arrivals.cutting import put_in

        pages = {
            drawn.starts[at] + number: page
            for at, kit, rows in inserted
            for number, page in enumerate(self._sources[kit.name].pages(rows, look))
        }
        return replace(drawn, data=put_in(drawn.data, pages))

    def pictures(self, kit: ArrivalKit, rows: Rows) -> tuple[int, int]:
        """How many pages of some rows are pictures only, and how many they are."""
        return self._sources[kit.name].pictures(rows)

    def _of(self, kit: ArrivalKit, rows: Rows, whom: str) -> Source:
        if not rows:
            raise NoPartError(f"'{kit.name}' has no {kit.spec.unit} for {whom}")
        return self._sources[kit.name]
