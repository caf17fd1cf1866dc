"""A list that people keep in a workbook: who belongs to which circle, what holds for a circle, what each may see."""

from gonnet.recipients.roster.lines import Known, lines_of, table_of
from gonnet.recipients.roster.reading import CIRCLES, PEOPLE, Roster, read_roster
from gonnet.recipients.roster.seeing import Seen, seen_by

__all__ = ["CIRCLES", "PEOPLE", "Known", "Roster", "Seen", "lines_of", "read_roster", "seen_by", "table_of"]
