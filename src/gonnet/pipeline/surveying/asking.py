"""The story of the parameters that have no value: each is asked for until what is said can be one."""

from __future__ import annotations

from collections.abc import Callable, Mapping

from gonnet.data.loading import known_choices
from gonnet.data.parameters import EVERY, form_of, require_choices, value_of
from gonnet.errors import GonnetError, ParameterError
from gonnet.jobs import Job
from gonnet.jobs.sources import Parameter
from gonnet.pipeline.tools import Tools

_MOST = 40  # choices that are shown


def complete(
    job: Job, tools: Tools, asked: Mapping[str, str], ask: Callable[[str, str], str], say: Callable[[str], None]
) -> dict[str, str]:
    """What was given, and what a person says to the parameters that have no value.

    Args:
        job: The job.
        tools: The tools.
        asked: What was given already.
        ask: Asks a question, of which the second part says how the answer is written.
        say: Says why an answer will not do.
    """
    found = dict(asked)
    for name, parameter in job.file.parameters.items():
        if name not in found and parameter.default is None:
            found[name] = _answered(job, tools, name, parameter, ask, say)
    return found


def _answered(
    job: Job, tools: Tools, name: str, parameter: Parameter, ask: Callable[[str, str], str], say: Callable[[str], None]
) -> str:
    try:
        known = known_choices(job, tools.workspace, name, tools.today()) if parameter.kind == "choice" else []
    except GonnetError:
        known = []  # whatever is wrong with the data is told when the job is run
    form = form_of(parameter)
    if known and not isinstance(parameter.of, tuple):
        more = ", …" if len(known) > _MOST else ""
        form = f"{form}: {', '.join(known[:_MOST])}{more}"
    while True:
        said = ask(parameter.label or name, form)
        try:
            value = value_of(name, parameter, said, tools.today(), tools.periods)
            if known and value != EVERY:
                require_choices(name, value if isinstance(value, tuple) else (str(value),), known)
        except ParameterError as error:
            say(str(error))
        else:
            return said
