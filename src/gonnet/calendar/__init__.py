"""When the entries of a job's calendar are due (RFC 5545), and what they wait for."""

from gonnet.calendar.counting import Due, House, due_between, next_due
from gonnet.calendar.invitation import Event, icalendar

__all__ = ["Due", "Event", "House", "due_between", "icalendar", "next_due"]
