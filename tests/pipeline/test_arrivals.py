"""A run that another system made: cut, put beside reports, accounted for, searched and delivered."""

from __future__ import annotations

import io
import re
from pathlib import Path
from typing import Any

import pikepdf
import pypdfium2
import pytest
from PIL import Image
from reportlab.lib.utils import ImageReader
from reportlab.pdfgen.canvas import Canvas

from gonnet.checks import read_any
from gonnet.jobs import load_job, load_workspace
from gonnet.ledger import PackageRecord, RunRecord
from gonnet.pipeline.prepare import prepare
from gonnet.pipeline.survey import Request
from read_aloud import claims
from support import AS_OF, RULES, Dairy

ALONE = """\
title: Certificates
data: {members: {file: members.csv}}
arrivals:
  certificates:
    pdf: in/lab.pdf
    key: {text: 'Farm no\\. (\\S+)'}
    unmarked: follow
    read: {due: {text: 'Due ([\\d.,]+)', as: number}}
recipients: {rows: members, key: farm_no, name: farm_name, to: email}
package: {documents: [{arrival: certificates}], name: "{{ key }} certificate"}
messages: {standard: {subject: "{{ figures.pages }} pages", body: "Due: {{ figures.due | money }}"}}
deliver: [{email: {from: lab@tarnvale.example}}]
checks: {identifying: [farm_name]}
"""
BESIDE = (
    "split:",
    "arrivals: {certificates: {pdf: in/lab.pdf, key: {text: 'Farm no\\. (\\S+)'}, unmarked: follow}}\nsplit:",
)
PAGES = ["Farm no. 00042\nDue 1,234.50", "more about cells", "Farm no. 117\nDue 0.05", "Farm no. 118\nDue 7.00"]


def lab(dairy: Dairy, *pages: str) -> Path:
    """The laboratory's run, each page with these lines; a page of `picture` is one."""
    path = dairy.folder / "in/lab.pdf"
    path.parent.mkdir(exist_ok=True)
    canvas = Canvas(str(path), pagesize=(400, 300))
    for text in pages or PAGES:
        if text == "picture":
            canvas.drawImage(ImageReader(Image.new("RGB", (40, 40), "grey")), 40, 100)
        else:
            for at, line in enumerate(text.split("\n")):
                canvas.drawString(40, 250 - 15 * at, line)
        canvas.showPage()
    canvas.save()
    return path


def prepared(dairy: Dairy, *changes: tuple[str, str]) -> tuple[RunRecord, dict[str, PackageRecord], dict[str, bytes]]:
    """A run of the job that has nothing but the arrival: it, its packages, and their only files."""
    run, packages, files = dairy.made("lab", ALONE, *changes)
    return run, packages, {key: files[one.documents[0].name] for key, one in packages.items() if one.documents}


def said(data: bytes) -> str:
    return " ".join(text for _, texts in read_any(data, "part.pdf").parts for text in texts)


def test_a_job_may_be_an_arrival_alone(dairy: Dairy) -> None:
    lab(dairy)
    run, packages, files = prepared(dairy)
    assert {key: (str(one.state), one.documents[0].pages, one.figures["due"]) for key, one in packages.items() if one.documents} == {
        "00042": ("ready", 2, "1234.50"), "117": ("ready", 1, "0.05"), "118": ("ready", 1, "7.00"),
    }  # fmt: skip
    assert "more about cells" in said(files["00042"])
    assert [key for key, data in files.items() if "more about cells" in said(data)] == ["00042"]
    account = run.account
    assert (account["read"], account["delivered"], account["withheld"]) == (4, 4, {})
    assert dairy.gonnet("show", "last", "00042").stdout.count("2 pages")


def test_it_stands_beside_reports_and_rules_choose_it(dairy: Dairy) -> None:
    lab(dairy)
    documents = ("documents: [", "documents: [{arrival: certificates, file: '{{ key }} certificate'}, ")
    few = ("  - {name: idle", "  - {name: few, when: pages < 2, drop: certificates}\n  - {name: idle")
    with dairy.tools() as tools:
        run = dairy.prepared(tools, BESIDE, documents, few)
        packages = dairy.by_key(tools, run)
    names = {key: [one.name for one in package.documents] for key, package in packages.items()}
    assert names["00042"] == ["00042 certificate.pdf", "00042 statement.pdf", "00042 statement.xlsx"]
    assert names["117"] == ["117 statement.pdf", "117 statement.xlsx"]
    account: Any = run.account
    other = account["others"]["certificates"]
    assert (other["read"], other["delivered"]) == (4, 2)
    assert other["withheld"]["in no document"] == 1


@pytest.mark.parametrize(
    ("change", "said_there"),
    [
        (("    unmarked: follow\n", ""), "lab.pdf, page 2: this page of 'certificates' says no key"),
        (("unmarked: follow", "unmarked: follow\n    expect: {total: {column: due, is: 1241.56}}"), "due must add up to 1241.56, it adds up to 1241.55"),
        (("as: number", "as: number, numbers: '1.234,56'"), "column 'due' of data set 'certificates' is not written as the job says (row 1: '1,234.50'"),
        (("as: number", "as: date"), "lab.pdf, page 1: '1,234.50', the due of 'certificates', is not read as a date"),
        (("pdf: in/lab.pdf", "pdf: in/other.pdf"), "there is no file other.pdf"),
        (("pdf: in/lab.pdf", "pdf: ../lab.pdf"), "../lab.pdf lies outside of the workspace"),
        (("{arrival: certificates}", "{arrival: certificate}"), "there is no arrival 'certificate'"),
        (("{arrival: certificates}", "{arrival: certificates, as: xlsx}"), "a part of 'certificates' stays what it is"),
        (("(\\\\S+)", "(\\\\S+"), "is no regular expression"),
        (("{text: 'Farm", "{label: x, text: 'Farm"), "a key comes from one of"),
    ],
)  # fmt: skip
def test_what_does_not_fit_is_told_with_its_place_and_nothing_is_made(
    dairy: Dairy, change: tuple[str, str], said_there: str
) -> None:
    lab(dairy)
    old, new = change[0].replace("\\\\", "\\"), change[1].replace("\\\\", "\\")
    assert old in ALONE
    dairy.write("jobs/lab.yaml", ALONE.replace(old, new))
    found = dairy.gonnet("prepare", "lab", code=2)
    assert said_there in " ".join(found.stderr.split())
    assert "There is no run yet" in dairy.gonnet("runs").stdout


def test_what_a_page_says_of_somebody_else_holds_the_part_however_it_is_hidden(dairy: Dairy) -> None:
    path = lab(dairy, "Farm no. 00042\nHallbank", "Farm no. 117", "Farm no. 118\nDue 1.00")
    with pikepdf.open(path, allow_overwriting_input=True) as pdf:
        pdf.pages[0].contents_add(b"q 1 1 1 rg 30 230 200 15 re f Q")  # a white rectangle over it
        layer = pdf.make_indirect(pikepdf.Dictionary(Type=pikepdf.Name.OCG, Name="Zoë's Dairy"))
        pdf.Root.OCProperties = pikepdf.Dictionary(
            OCGs=pikepdf.Array([layer]), D=pikepdf.Dictionary(OFF=pikepdf.Array([layer]))
        )
        pdf.pages[1].obj.Resources.Properties = pikepdf.Dictionary({"/MC0": layer})
        pdf.pages[1].contents_add(b"/OC /MC0 BDC EMC")
        pdf.save(path)
    _, packages, _ = prepared(dairy)
    assert packages["00042"].reason == "'Hallbank', the farm_name of 118, stands in the part of certificates (page 1)"
    assert packages["117"].reason.startswith(
        "'Zoë's Dairy', the farm_name of 00042, stands in the part of certificates"
    )
    assert str(packages["118"].state) == "ready"


def test_pages_that_nobody_can_search_hold_their_part_unless_the_job_accepts_them(dairy: Dairy) -> None:
    lab(dairy, "Farm no. 00042\nDue 1.00", "picture", "Farm no. 117\nDue 2.00")
    run, packages, _ = prepared(dairy)
    assert packages["00042"].reason == "1 of 2 pages of 'certificates' is a picture only, which nobody can search"
    assert str(packages["117"].state) == "ready"
    assert run.unsearched[-1] == "pictures, or what cannot be read, in files that came for 1 package, first 00042"
    told = "1 page of 'certificates' is a picture only, and cannot be searched for others' values"
    assert told in [text for _, text in run.findings]
    _, packages, _ = prepared(dairy, ("unmarked: follow", "unmarked: follow\n    pictures: accept"))
    assert str(packages["00042"].state) == "ready"


def test_a_key_is_no_path_and_a_stranger_gets_nothing(dairy: Dairy) -> None:
    lab(dairy, "Farm no. ../../x\nDue 1.00", "Farm no. 117\nDue 2.00")
    run, packages, _ = prepared(dairy)
    stranger = packages["../../x"]
    assert (str(stranger.state), str(stranger.reason)) == ("held", "nobody on the list has this key")
    assert run.account["withheld"] == {"no recipient": 1}


def test_a_part_has_the_watermark_of_the_house(dairy: Dairy) -> None:
    lab(dairy)
    _, packages, files = prepared(dairy, ("arrivals:", "style: {watermark: {text: Draft}}\narrivals:"))
    assert said(files["00042"]).count("Draft") >= 2
    assert "Due 1,234.50" in said(files["00042"])
    assert "page 1" not in pypdfium2.PdfDocument(files["00042"])[0].get_textpage().get_text_bounded()
    assert packages["00042"].documents[0].pages == 2


def test_a_part_has_the_password_of_its_recipient(dairy: Dairy) -> None:
    lab(dairy)
    _, _, files = prepared(
        dairy, ("{arrival: certificates}", "{arrival: certificates, password: {open: 'pin {{ key }}'}}")
    )
    with pytest.raises(pikepdf.PasswordError):
        pikepdf.open(io.BytesIO(files["117"]))
    with pikepdf.open(io.BytesIO(files["117"]), password="pin 117") as pdf:
        assert len(pdf.pages) == 1


def test_the_same_run_gives_the_same_bytes_whatever_the_number_of_processes(dairy: Dairy) -> None:
    lab(dairy)
    _, _, files = prepared(dairy)
    with dairy.tools(processes=2) as tools:
        job = load_job(load_workspace(dairy.folder), "lab")
        packages = dairy.by_key(tools, prepare(job, tools, Request(as_of=AS_OF, asked={})))
        assert {key: tools.store.get(packages[key].documents[0].sha256) for key in files} == files


def test_pages_are_looked_at_while_a_pattern_is_tried_out(dairy: Dairy) -> None:
    lab(dairy, "Farm no. 00042 Farm no. 117\nDue 1.00", "Separator", "Farm no. 118\nDue 2.00")
    spec = "key: {text: '(\\d+)', within: {left: 10, top: 13, width: 60, height: 6}}\n    leave_out: ^Separator"
    dairy.write("jobs/lab.yaml", ALONE.replace("key: {text: 'Farm no\\. (\\S+)'}", spec))
    shown = dairy.gonnet("pages", "lab", "--picture", "look").stdout
    assert re.search(r"1 +00042 ! 117 +Farm no. 00042 Farm no. 117 +1.00", shown)
    assert re.search(r"2 +\(left out\)", shown)
    assert "lab.pdf has 3 pages." in shown
    found = dairy.json("pages", "lab", "certificates", "--page", "3", "--picture", "look")
    assert (found["pages"][0]["keys"], found["pages"][0]["values"]) == (["118"], {"due": "2.00"})
    place = {word["text"]: word for word in found["words"]}["118"]
    with Image.open(dairy.folder / "look/lab page 3.png") as picture:
        scale = picture.width / 400 * 72 / 25.4
        left, top = round(place["left"] * scale), round((place["top"] + place["height"] / 2) * scale)
        assert (194, 65, 12) in {picture.getpixel((left + at, top)) for at in range(-6, 2)}  # the box around the key
    assert "there is no page 4: the file has 3" in dairy.gonnet("pages", "lab", "--page", "4", code=2).stderr
    assert "the job has no arrival 'labs'" in dairy.gonnet("pages", "lab", "labs", code=2).stderr
    dairy.job()
    assert "has no arrivals" in dairy.gonnet("pages", "statements", code=2).stderr


JOINED = (
    "documents: [{report: statement, as: pdf}, {report: statement, as: xlsx}]",
    "documents: [{report: statement, as: pdf}, {arrival: certificates}]\n  join: {as: pdf, contents: true}",
)


def test_a_part_and_a_report_become_one_file_with_numbers_that_run_through(dairy: Dairy) -> None:
    source = lab(dairy)
    with dairy.tools() as tools:
        run = dairy.prepared(tools, BESIDE, JOINED)
        packages = dairy.by_key(tools, run)
        (document,) = packages["00042"].documents
        data = tools.store.get(document.sha256)
    assert (document.pages, document.report) == (4, "statement + certificates")
    made = pypdfium2.PdfDocument(data)
    pages = [made[at].get_textpage().get_text_bounded() for at in range(4)]
    assert re.search(r"Statement of Zoë's Dairy.*2.*Certificates.*3", pages[0], re.DOTALL)
    assert ["Due 1,234.50" in page for page in pages] == [False, False, True, False]
    assert ["page 3 of 4" in pages[2], "page 4 of 4" in pages[3], "more about cells" in pages[3]] == [True] * 3
    assert [str(entry.get_title()) for entry in made.get_toc()] == ["Statement of Zoë's Dairy", "Certificates"]
    ours, theirs = (pypdfium2.PdfDocument(one)[at].render().to_pil() for one, at in ((data, 2), (source, 0)))
    upper = (0, 0, 400, 270)  # all but the number at the foot
    assert ours.crop(upper).tobytes() == theirs.crop(upper).tobytes()
    with pikepdf.open(io.BytesIO(data)) as pdf:
        assert all("00118" not in str(part) for part in pdf.objects)
        _, owners = pdf.Root.StructTreeRoot.ParentTree.Nums[4:6]  # of the third page, which another program made
        assert [(str(owner.S), str(owner.P.S)) for owner in owners] == [("/P", "/Sect")]
        assert re.match(rb"/P <</MCID 0>> BDC\n.* Do\s+Q\s+EMC\n", pdf.pages[2].Contents.read_bytes(), re.DOTALL)
        assert [str(kid.S) for kid in pdf.Root.StructTreeRoot.K.K] == ["/TOC", "/Sect", "/Sect"]
    assert claims(data) == []
    account: Any = run.account
    assert account["others"]["certificates"]["delivered"] == 3


@pytest.mark.parametrize("hidden", [True, False])
def test_what_stands_in_a_joined_part_holds_the_whole_file(dairy: Dairy, hidden: bool) -> None:
    path = lab(dairy, "Farm no. 00042\nDue 1.00", "Farm no. 117\nDue 2.00" + ("" if hidden else "\nHallbank"))
    if hidden:
        with pikepdf.open(path, allow_overwriting_input=True) as pdf:
            layer = pdf.make_indirect(pikepdf.Dictionary(Type=pikepdf.Name.OCG, Name="Hallbank"))
            pdf.Root.OCProperties = pikepdf.Dictionary(OCGs=pikepdf.Array([layer]), D=pikepdf.Dictionary())
            pdf.pages[1].obj.Resources.Properties = pikepdf.Dictionary({"/MC0": layer})
            pdf.pages[1].contents_add(b"/OC /MC0 BDC EMC")
            pdf.save(path)
    with dairy.tools() as tools:
        packages = dairy.by_key(tools, dairy.prepared(tools, BESIDE, JOINED))
    assert packages["117"].reason.startswith("'Hallbank', the farm_name of 118, stands in the pdf")
    assert str(packages["00042"].state) == "ready"


def test_who_has_no_page_is_held_unless_a_rule_drops_the_arrival(dairy: Dairy) -> None:
    lab(dairy, "Farm no. 00042\nDue 1.00")
    drop = ("  - {name: idle", "  - {name: none, when: pages = 0, drop: certificates}\n  - {name: idle")
    for changes, reason in (((BESIDE, JOINED), "'certificates' has no page for 117"), ((BESIDE, JOINED, drop), "")):
        with dairy.tools() as tools:
            packages = dairy.by_key(tools, dairy.prepared(tools, *changes))
        assert packages["117"].reason == reason
        assert str(packages["00042"].state) == "ready"


def test_who_sees_several_keys_gets_their_parts_joined_or_apart(dairy: Dairy) -> None:
    lab(dairy)
    listed = (
        "recipients: {rows: members, key: farm_no, name: farm_name, to: email, cc: adviser}",
        "recipients: {rows: members, key: farm_no, to: adviser, bundle: {as: FORM, name: bundle}}",
    )
    for form, names in (("joined", ["bundle.pdf"]), ("apart", ["00042 statement.pdf", "117 statement.pdf"])):
        with dairy.tools() as tools:
            changed = (listed[0], listed[1].replace("FORM", form))
            (package, *_) = dairy.by_key(
                tools, dairy.prepared(tools, BESIDE, JOINED, changed, ("rules:\n" + RULES, ""))
            ).values()
            files = [tools.store.get(one.sha256) for one in package.documents]
        assert [one.name for one in package.documents] == names
        assert "more about cells" in said(files[0])
        assert "Due 0.05" in said(files[-1])


def test_a_run_that_is_signed_or_damaged_is_told(dairy: Dairy) -> None:
    path = lab(dairy)
    with pikepdf.open(path, allow_overwriting_input=True) as pdf:
        pdf.Root.AcroForm = pikepdf.Dictionary(SigFlags=3, Fields=pikepdf.Array([]))
        pdf.save(path)
    run, packages, _ = prepared(dairy)
    assert "lab.pdf is signed: its signature is void in every part of it" in [text for _, text in run.findings]
    lab(dairy)
    path.write_bytes(path.read_bytes().replace(b"startxref", b"startxxxx"))
    run, packages, _ = prepared(dairy)
    told = "lab.pdf is damaged, and was read as well as can be: compare its pages"
    assert told in [text for _, text in run.findings]
    assert str(packages["00042"].state) == "ready"


def test_what_was_read_of_a_large_run_is_kept_until_something_changes(
    dairy: Dairy, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("gonnet.arrivals.kept._WORTH", 0)
    path = lab(dairy)
    run, packages, files = prepared(dairy)
    (reading,) = (dairy.folder / ".gonnet/readings").glob("*.pages")
    assert reading.stat().st_mode & 0o777 == 0o600
    monkeypatch.setattr("gonnet.arrivals.runs._read", None)  # it is not read again
    again, others, same = prepared(dairy)
    assert (same, again.account) == (files, run.account)
    monkeypatch.undo()
    monkeypatch.setattr("gonnet.arrivals.kept._WORTH", 0)
    lab(dairy, *PAGES[:3], "Farm no. 118\nDue 8.00")
    assert prepared(dairy)[1]["118"].figures["due"] == "8.00"
    _, changed, _ = prepared(dairy, ("unmarked: follow", "unmarked: leave out"))
    assert (changed["00042"].figures["pages"], packages["00042"].figures["pages"]) == ("1", "2")
    for one in (dairy.folder / ".gonnet/readings").glob("*.pages"):
        one.write_text("cut o")
    assert prepared(dairy)[1]["118"].figures["due"] == "8.00"
    assert path.exists()
    assert others


def test_a_page_that_is_damaged_holds_its_part_and_no_other(dairy: Dairy) -> None:
    path = lab(dairy)
    with pikepdf.open(path, allow_overwriting_input=True) as pdf:
        content = pdf.pages[2].obj.Contents
        content.write(content.read_raw_bytes()[:9] + b"no stream at all", filter=pikepdf.Name.FlateDecode)
        pdf.save(path, compress_streams=False)
    dairy.write("pages.csv", "key,first,last\n00042,1,2\n117,3,3\n118,4,4\n")
    run, packages, _ = prepared(dairy, ("key: {text: 'Farm no\\. (\\S+)'}", "key: {list: pages.csv}"))
    assert run.account["withheld"] == {"no usable part of an arrival": 1}
    assert packages["117"].reason.startswith("lab.pdf, page 3: this page is damaged and cannot be cut out")
    assert [str(packages[key].state) for key in ("00042", "118")] == ["ready", "ready"]
