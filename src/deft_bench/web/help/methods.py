"""The method pages of docs/methods as HTML: they ship with the program, so that help needs no network."""

import re
from functools import lru_cache
from pathlib import Path

import deft_bench

PACKAGED = Path(deft_bench.__file__).parent / "methods"
IN_THE_REPOSITORY = Path(deft_bench.__file__).parents[2] / "docs" / "methods"
_LINK = re.compile(r'href="(?:\.\./methods/|\./)?([a-z0-9-]+)\.md')
_ELSEWHERE = re.compile(r'<a href="(?!/|#)[^"]*">(.*?)</a>', re.DOTALL)
_NO_HEADING = re.compile(r"<th[^>]*>\s*</th>")
_STYLED = re.compile(r' style="[^"]*"')
_TITLE = re.compile(r"^# (.+)$", re.MULTILINE)


def folder() -> Path:
    """Where the method pages are."""
    return PACKAGED if PACKAGED.is_dir() else IN_THE_REPOSITORY


@lru_cache(maxsize=1)
def methods() -> dict[str, str]:
    """Every method by its name, with its title, in alphabetical order of the titles."""
    found = {}
    for path in folder().glob("*.md"):
        title = _TITLE.search(path.read_text("utf-8"))
        found[path.stem] = title[1].replace("`", "") if title else path.stem
    return dict(sorted(found.items(), key=lambda one: one[1].lower()))


@lru_cache(maxsize=64)
def method_html(name: str) -> str:
    """A method's page as HTML, its links leading to the other pages; raises KeyError for one that is none."""
    from markdown_it import MarkdownIt  # takes its time, and few starts need it

    if name not in methods():
        raise KeyError(name)
    text = (folder() / f"{name}.md").read_text("utf-8")
    made = MarkdownIt("commonmark", {"html": False}).enable("table").render(text)
    made = _LINK.sub(r'href="/help/\1', made)
    # what lies outside the method pages is named, not linked
    made = _ELSEWHERE.sub(r"\1", made)
    made = _STYLED.sub("", _NO_HEADING.sub("<td></td>", made))
    made = made.replace("<table>", '<div class="scroll-x"><table class="history">')
    return made.replace("</table>", "</table></div>")
