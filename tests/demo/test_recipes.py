"""The recipes of the manual run on the demo's data, and do what their headings say."""

from __future__ import annotations

import datetime as dt
import re
from collections import Counter
from collections.abc import Iterator
from contextlib import closing
from pathlib import Path

import pytest

from gonnet.demo.workspace_files import write_workspace
from gonnet.jobs import load_job, load_workspace
from gonnet.jobs.consistency import within_the_file
from gonnet.pipeline.preview import preview
from gonnet.pipeline.survey import Request, survey
from gonnet.pipeline.tools import Tools, open_tools

PAGE = Path(__file__).parents[2] / "docs/recipes.md"
AS_OF = Request(as_of=dt.date(2026, 11, 5), asked={})
EXPECTED = {  # ready, held, skipped; and how the files end that somebody gets
    "Only those over their limit": ((1, 0, 49), {"pdf", "xlsx"}),
    "Nobody hears of nothing, and a person looks at what is large": ((40, 9, 1), {"pdf", "xlsx"}),
    "A page for each adviser, and all pages for the director": ((4, 0, 0), {"xlsx"}),
    "The boss, every Monday": ((1, 0, 0), {"pdf"}),
    "A copy for the adviser that the farm does not see": ((45, 4, 1), {"pdf", "xlsx"}),
    "Ask me which region": ((45, 4, 1), {"pdf", "xlsx"}),
    "Some get the workbook, some the PDF": ((46, 3, 1), {"pdf", "xlsx"}),
    "Everybody in their own language": ((46, 3, 1), {"pdf"}),
    "The first five, and the rest in one line": ((45, 4, 1), {"pdf", "xlsx"}),
    "Costs behind revenue, and each in its currency": ((46, 3, 1), {"pdf"}),
    "How old the dues are, with a link to pay them": ((16, 0, 32), {"pdf"}),
    "Where I stand, without naming anybody": ((45, 4, 1), {"pdf", "xlsx"}),
    "Three reports as one PDF, with a cover": ((45, 4, 1), {"pdf"}),
    "A password that only they know": ((45, 4, 1), {"pdf"}),
    "A file for their own program": ((45, 4, 1), {"csv", "zip"}),
    "One more file for those it concerns": ((46, 3, 1), {"pdf", "png"}),
    "The figures in the message, and no file": ((45, 4, 1), set()),
    "Into a folder for each region, and no mail": ((46, 3, 1), {"pdf"}),
    "A second letter after two weeks, a call after that": ((16, 0, 32), {"pdf"}),
    "As soon as the file is there, and only if it is sound": ((45, 4, 1), {"pdf", "xlsx"}),
}


def recipes() -> dict[str, str]:
    return dict(re.findall(r"^### (.*?)$.*?```yaml\n(.*?)```", PAGE.read_text("utf-8"), re.DOTALL | re.MULTILINE))


@pytest.fixture(scope="module")
def tools(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Tools]:
    folder = tmp_path_factory.mktemp("demo") / "tarnvale"
    write_workspace(folder)
    with open_tools(load_workspace(folder), 1) as opened:
        yield opened


def test_there_are_twenty_each_with_what_is_expected_of_it() -> None:
    assert list(recipes()) == list(EXPECTED)
    assert len(EXPECTED) == 20


@pytest.mark.parametrize("wish", EXPECTED)
def test_a_recipe_does_what_its_heading_says(wish: str, tools: Tools, tmp_path: Path) -> None:
    (tools.workspace.jobs_folder / "wish.yaml").write_text(recipes()[wish], "utf-8")
    job = load_job(tools.workspace, "wish")
    assert list(within_the_file(job)) == []
    found = survey(job, tools, AS_OF)
    with closing(found.engine):
        states = {plan.key: str(plan.decision.outcome) for plan in found.plans}
    counts = Counter(states.values())
    (ready, held, skipped), endings = EXPECTED[wish]
    assert (counts["ready"], counts["held"], counts["skipped"]) == (ready, held, skipped)
    samples = preview(job, tools, AS_OF, None, None, tmp_path / "look")
    assert {sample.key: sample.decision[0] for sample in samples} == {
        sample.key: states[sample.key] for sample in samples
    }
    assert {file.suffix[1:] for sample in samples for file in sample.files} == endings


def test_the_first_example_of_arrivals_runs_on_the_demo(tools: Tools) -> None:
    text = (PAGE.parent / "arrivals.md").read_text("utf-8")
    example = re.search(r"```yaml\n(.*?)```", text, re.DOTALL)
    assert example is not None
    (tools.workspace.jobs_folder / "wish.yaml").write_text(example[1], "utf-8")
    found = survey(load_job(tools.workspace, "wish"), tools, AS_OF)
    with closing(found.engine):
        counts = Counter(str(plan.decision.outcome) for plan in found.plans)
        assert (counts["ready"], counts["held"], counts["skipped"]) == (46, 1, 1)
        assert found.cuts["certificates"].without_key == 1  # the control sheet
