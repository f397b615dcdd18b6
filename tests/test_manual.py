#!/usr/bin/env python3
"""The manual as scripts/docs has built it, in a browser: no page is wider than its window, on a telephone neither; the search
finds; nothing is asked of a network. test_manual.py ROOT"""
import pathlib
import sys

sys.path.insert(0, str(pathlib.Path(__file__).parent))
import browser  # noqa: E402

MANUAL = pathlib.Path(sys.argv[1]).resolve() / "build/manual"
failures = []
if browser.find() is None:
    print("no browser (chromium): the manual is not looked at")
    sys.exit(0)
view = browser.Browser()
for width, height, mobile in ((1280, 800, False), (390, 800, True)):
    view.size(width, height, mobile=mobile)
    for page in sorted(MANUAL.glob("*.html")):
        view.open(page)
        if view.run("document.documentElement.scrollWidth") > width:
            failures.append(f"{page.name} is wider than {width}")
view.size(1280, 800)
view.open(MANUAL / "search.html", "?q=notification")
if not view.until("document.querySelectorAll('#search-results li').length >= 5"):  # they come one after the other
    failures.append("the search finds less than five pages: " + view.run("document.body.innerText"))
view.open(MANUAL / "api/host_8h.html")
if "ys_host_changed" not in view.run("document.body.innerText"):
    failures.append("the C reference does not have ys_host_changed")
failures += view.problems
view.close()
for failure in failures:
    print("---", failure)
sys.exit(1 if failures else 0)
