"""The review as a page: complete, harmless whatever stands in the data, and working in a browser."""

from __future__ import annotations

import html
import http.server
import json
import os
import re
import shutil
import subprocess
import threading
from html.parser import HTMLParser
from pathlib import Path

import pytest

from opened import pdf_pages
from support import MEMBERS, Dairy

HOSTILE = "</script><script>document.title='broken'</script><b>Łąka"


@pytest.fixture
def page(dairy: Dairy) -> Path:
    dairy.write("members.csv", MEMBERS.replace("Łąka Górna", HOSTILE))
    dairy.job()
    dairy.gonnet("prepare", "statements", "--as-of", "2026-11-05", code=3)
    dairy.gonnet("review", "last", "--html", "review.html", code=3)
    return dairy.folder / "review.html"


class _Page(HTMLParser):
    def __init__(self) -> None:
        super().__init__()
        self.scripts = 0
        self.addresses: list[str] = []

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        self.scripts += tag == "script"
        self.addresses += [value or "" for name, value in attrs if name in ("src", "href")]


def test_the_page_stands_by_itself_and_no_value_acts_in_it(page: Path) -> None:
    text = page.read_text("utf-8")
    assert page.stat().st_mode & 0o777 == 0o600
    found = _Page()
    found.feed(text)
    assert (found.scripts, found.addresses) == (2, [])
    data = re.search(r'<script type="application/json" id="data">(.*?)</script>', text, re.DOTALL)
    assert data is not None
    packages = {part["key"]: part for part in json.loads(data[1])}
    assert list(packages) == ["118", "00042", "117", "119"], "what needs a decision comes first"
    assert packages["117"]["name"] == HOSTILE
    assert packages["117"]["picture"].startswith("data:image/png;base64,")
    assert "payable" in packages["117"]["messages"][0]["page"]
    assert packages["118"]["rules"] == [["a lot", ["hold: more than the tank holds"], []]]


def browser() -> str | None:
    return shutil.which("chromium") or shutil.which("chromium-browser")


needs_browser = pytest.mark.skipif(
    browser() is None and "CI" not in os.environ, reason="there is no Chromium here to open the page in"
)


def browsed(folder: Path, *words: str) -> str:
    """What the browser answers that is asked for this."""
    usual = ["--headless", "--no-sandbox", "--disable-gpu", f"--user-data-dir={folder / 'browser'}"]
    command = [str(browser()), *usual, "--virtual-time-budget=4000", *words]
    return subprocess.run(command, capture_output=True, text=True, check=True, timeout=120).stdout


@needs_browser
def test_on_paper_it_says_who_gets_what_and_why_something_is_held(page: Path, tmp_path: Path) -> None:
    browsed(tmp_path, f"--print-to-pdf={tmp_path / 'page.pdf'}", page.as_uri())
    printed = " ".join(" ".join(pdf_pages((tmp_path / "page.pdf").read_bytes())).split())
    assert "laka@members.tarnvale.example" in printed
    assert "more than the tank holds" in printed


@needs_browser
@pytest.mark.parametrize(("size", "key"), [("1280,800", "117"), ("400,800", "118")])
def test_in_a_browser_the_list_is_there_and_one_package_opens(page: Path, tmp_path: Path, size: str, key: str) -> None:
    dom = browsed(tmp_path, f"--window-size={size}", "--dump-dom", f"{page.as_uri()}#{key}")
    rows = re.findall(r"<tr[^>]*><td><span class=\"state (\w+)\"", dom)
    assert rows == ["held", "ready", "ready", "skipped"]
    assert "4 of 4 packages" in dom
    assert f"<h2>{key} " in dom
    assert "<title>Run 1: Milk statements</title>" in dom
    assert "&lt;/script&gt;" in dom


@pytest.fixture(scope="session")
def axe(tmp_path_factory: pytest.TempPathFactory) -> str:
    """The accessibility checker axe-core, from npm."""
    if shutil.which("npm") is None:
        if "CI" not in os.environ:
            pytest.skip("there is no npm here to fetch axe-core with")
        pytest.fail("npm is missing")
    folder = tmp_path_factory.mktemp("axe")
    words = ["npm", "install", "--silent", "--no-audit", "--no-fund", "--prefix", str(folder), "axe-core@4"]
    subprocess.run(words, check=True, capture_output=True, timeout=120)
    return (folder / "node_modules/axe-core/axe.min.js").read_text("utf-8").replace("</script", "<\\/script")


def told_by(page: Path, script: str, folder: Path, size: str = "1280,800", of: str = "") -> str:
    """What a script in the page gives as its title, when the page was made."""
    other = page.with_name("scripted.html")
    other.write_text(page.read_text("utf-8").replace("</body>", f"<script>{script}</script></body>"), "utf-8")
    dom = browsed(folder, f"--window-size={size}", "--dump-dom", f"{other.as_uri()}{of}")
    found = re.search(r"<title>(.*?)</title>", dom, re.DOTALL)
    assert found is not None
    return html.unescape(found[1])


@needs_browser
@pytest.mark.parametrize("size", ["1280,800", "420,900"])
@pytest.mark.parametrize("of", ["", "#117"])
def test_nobody_is_shut_out_of_the_page(page: Path, tmp_path: Path, axe: str, size: str, of: str) -> None:
    run = "axe.run(document, {iframes: false}).then(found => { document.title = JSON.stringify(found.violations.map("
    run += "one => [one.id, one.nodes.map(node => node.html)])) + found.passes.length; });"
    violations, _, passes = told_by(page, f"{axe}\n{run}", tmp_path, size, of).rpartition("]")
    assert json.loads(f"{violations}]") == []
    assert int(passes) > 15


@needs_browser
def test_the_page_is_used_by_keys_alone_and_copies_commands(page: Path, tmp_path: Path) -> None:
    keys = """{
      const press = key => (document.activeElement || document).dispatchEvent(new KeyboardEvent("keydown", {key, bubbles: true}));
      const said = [], look = document.getElementById("look");
      press("/"); said.push(document.activeElement.id); press("Escape");
      press("ArrowDown"); press("ArrowDown"); press("Enter"); said.push(look.querySelector("h2").textContent.slice(0, 5));
      press("j"); said.push(look.querySelector("h2").textContent.slice(0, 3));
      said.push(...[...look.querySelectorAll(".decide button")].map(button => button.dataset.command));
      look.querySelector(".decide button").click();
      press("Escape"); said.push(look.hidden);
      setTimeout(() => { document.title = JSON.stringify([...said, look.querySelector("code").textContent]); }, 500);
    }"""
    told = json.loads(told_by(page, keys, tmp_path))
    assert told[:3] == ["find", "00042", "117"]
    assert told[3:6] == [
        "gonnet hold 1 117 --why REASON",
        "gonnet skip 1 117 --why REASON",
        "gonnet amend 1 117 --to ADDRESS --why REASON",
    ]
    assert told[6] is True
    assert told[7].endswith(": gonnet hold 1 117 --why REASON")


@needs_browser
def test_what_a_message_would_load_from_elsewhere_is_named_and_not_loaded(dairy: Dairy, tmp_path: Path) -> None:
    asked: list[str] = []

    class Listening(http.server.BaseHTTPRequestHandler):
        def do_GET(self) -> None:
            asked.append(self.path)
            self.send_error(404)

        def log_message(self, *_: object) -> None:
            pass

    server = http.server.ThreadingHTTPServer(("127.0.0.1", 0), Listening)
    threading.Thread(target=server.serve_forever, daemon=True).start()
    site = f"http://127.0.0.1:{server.server_address[1]}"
    loads = f'<img src="{site}/a.png"><link rel="stylesheet" href="{site}/b.css"><iframe src="{site}/c"></iframe>'
    style = f"<style>p {{background: url({site}/d.png)}}</style>"
    dairy.write(
        "milk.html", f"<html><head>{style}</head><body>{loads}<a href='{site}/link'>x</a><p>Milk</p></body></html>"
    )
    body = "    body: |\n      Dear {{ recipient.farm_name }},\n\n      payable: **{{ figures.payable | money }}**\n"
    dairy.job((body, "    page: milk.html\n"))
    dairy.gonnet("prepare", "statements", "--as-of", "2026-11-05", code=3)
    page = tmp_path / "page.html"
    dairy.gonnet("review", "--html", str(page), code=None)
    dom = browsed(tmp_path, "--dump-dom", f"{page.as_uri()}#117")
    server.shutdown()
    server.server_close()
    assert [f"by who reads the message: {site}/{name}" in dom for name in ("a.png", "b.css", "c<", "d.png")] == [
        True
    ] * 4
    assert f"by who reads the message: {site}/link" not in dom
    assert asked == []


def test_the_list_is_narrowed_by_state_and_by_text(dairy: Dairy) -> None:
    dairy.job()
    dairy.gonnet("prepare", "statements", "--as-of", "2026-11-05", code=3)
    assert [p["key"] for p in dairy.json("review", "--state", "held", "--state", "skipped", code=3)["packages"]] == [
        "118",
        "119",
    ]
    assert [p["key"] for p in dairy.json("review", "--find", "LAKA@", code=3)["packages"]] == ["117"]
