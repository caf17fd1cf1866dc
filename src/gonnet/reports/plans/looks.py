"""The look of a run's documents, with the files that its style names."""

from __future__ import annotations

from gonnet.errors import JobError
from gonnet.jobs import Job, Workspace
from gonnet.jobs.blocks import ImageBlock
from gonnet.jobs.reach import Reach
from gonnet.jobs.style import Fonts
from gonnet.reports.fonts import UnusableFontError, family
from gonnet.reports.plans.models import Look, Picture
from gonnet.reports.plans.pictures import picture
from gonnet.wording.formats import House

_LOGO_HEIGHT = 16.0  # points


def look_of(job: Job, workspace: Workspace) -> Look:
    """The workspace's style, as the job changes it.

    Raises:
        JobError: the logo or a face cannot be read.
    """
    style = workspace.file.style.changed_by(job.file.style)
    where = job.at("style") if job.file.style else "gonnet.yaml, style"
    return Look(
        style=style,
        house=House(locale=style.locale, currency=style.currency),
        logo=_logo(style.logo, job.reach, where) if style.logo else None,
        fonts=_fonts(style.fonts, job.reach, where) if style.fonts else None,
    )


def _logo(name: str, reach: Reach, where: str) -> Picture:
    found = picture(ImageBlock(image=name, alt="", width=60), reach, where, 10_000)
    width = found.width * _LOGO_HEIGHT / found.height
    return Picture(data=found.data, width=width, height=_LOGO_HEIGHT, align="left", alt="")


def _fonts(fonts: Fonts, reach: Reach, where: str) -> tuple[str, str, str, str]:
    bold_italic = fonts.bold_italic or fonts.bold
    files = (fonts.regular, fonts.bold, fonts.italic or fonts.regular, bold_italic)
    regular, bold, italic, both = (str(reach.file(file, where)) for file in files)
    try:
        family((regular, bold, italic, both))
    except UnusableFontError as error:
        raise JobError(str(error), where=where, fix="Name TrueType files (.ttf) that may be embedded") from error
    return regular, bold, italic, both
