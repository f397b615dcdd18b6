"""How the manual is built: scripts/docs."""
import pathlib
import re

root = pathlib.Path(__file__).resolve().parent.parent

project = "Yarnswift"
author = "the authors of Yarnswift"
copyright = author
version = release = re.search(r"^project\(yarnswift VERSION (\S+)", (root / "CMakeLists.txt").read_text(), re.M)[1]

extensions = ["myst_parser"]
myst_heading_anchors = 4
exclude_patterns = ["api.md"]
html_theme = "sphinx_rtd_theme"
html_theme_options = {"navigation_depth": 2, "collapse_navigation": False, "prev_next_buttons_location": "bottom"}
html_show_search_summary = False  # which would need a server
html_show_sourcelink = False
html_title = f"Yarnswift {version}"
html_show_sphinx = False
html_show_copyright = False
html_copy_source = False
html_static_path = ["manual.css"]
html_css_files = ["manual.css"]
html_last_updated_fmt = None
highlight_language = "none"


def lexers(_, __, source):
    """A word behind the language of a block is for the tests; what lies beside the manual is linked as it is installed."""
    source[0] = re.sub(r"^```(\w+) \w+$", r"```\1", source[0], flags=re.M)
    source[0] = re.sub(r"\[([^\]]*)\]\(\.\./((?:examples|api)[^)]*)\)", r'<a href="../\2">\1</a>', source[0])
    source[0] = re.sub(r"\[([^\]]*)\]\(api/([^)]*)\)", r'<a href="api/\2">\1</a>', source[0])


def setup(app):
    app.connect("source-read", lexers)
