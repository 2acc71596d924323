#!/usr/bin/env python3
# SPDX-License-Identifier: Apache-2.0
"""The pages of docs/ as Doxygen takes them:  pages.py SOURCE FOLDER

Headings get the anchors that links name, links between pages become references, and two pages are
made: the index of the site, and an index of tests, models, verdicts and warnings.
"""
import pathlib
import re
import sys

source, folder = pathlib.Path(sys.argv[1]), pathlib.Path(sys.argv[2])
docs = sorted((source / "docs").glob("*.md"))
others = {"CHANGELOG.md": "changelog", "CONTRIBUTING.md": "contributing"}


def page_id(name):
    return "page-" + name.removesuffix(".md").lower()


def anchor(page, heading):
    """As readers of plain Markdown make it: small letters, blanks as hyphens, no other signs."""
    text = re.sub(r"[`*]", "", heading).strip().lower()
    return page_id(page) + "-" + re.sub(r"[^\w -]", "", text).replace(" ", "-")


def link(match, page):
    text, target, part = match.group(1), match.group(2), match.group(3)
    if re.match(r"[a-z]+:", target):
        return match.group(0)
    name = pathlib.PurePosixPath(target).name if target else page
    if name.endswith(".png"):
        return f"[{text}]({name})"
    known = [d.name for d in docs] + list(others)
    if name in known:
        where = anchor(name, part[1:].replace("-", " ")) if part else page_id(name)
        return f'<a href="{where if not part else page_id(name)}.html{"#" + where if part else ""}">{text}</a>'
    return text  # a file of the source tree, which the site has not


def converted(text, page):
    out, code = [], False
    for line in text.split("\n"):
        if line.startswith("```"):
            code = not code
            kind = line[3:].strip()
            out.append("```" + ("{.cpp}" if code and kind == "cpp" else "{.unparsed}" if code else ""))
            continue
        if not code and not line.startswith("    "):
            line = re.sub(r"(?<![\w(/{\"])#(?=[A-Za-z])", r"\\#", line)  # no link
            line = re.sub(r"!\[([^\]]*)\]\((?:[^)]*/)?([^)/]+\.png)\)", r"![\1](\2)", line)
            line = re.sub(r"(?<!!)\[([^\]]*)\]\(([^)#\s]*)(#[^)]*)?\)", lambda m: link(m, page), line)
            heading = re.match(r"(#+) (.*)", line)
            if heading:
                level, words = heading.groups()
                name = page_id(page) if level == "#" else anchor(page, words)
                line = f"{level} {words} {{#{name}}}"
        out.append(line)
    return "\n".join(out)


def rows(page, first):
    """Cells of the table whose header begins with `first`."""
    text = (source / "docs" / page).read_text()
    out, inside = [], False
    for line in text.split("\n"):
        if line.startswith("| " + first + " |"):
            inside = True
        elif inside and line.startswith("|"):
            if not re.match(r"\|[-| ]+\|$", line):
                out.append([c.strip() for c in line.strip("|").split("|")])
        elif inside:
            inside = False
    return out


def index_of_words():
    """Every test, term of a model line, verdict and warning, with the page that explains it."""
    entries = []
    for cells in rows("methods.md", "method"):
        for word in re.findall(r"`([a-z-]+)`", cells[0]):
            entries.append((word, "method", "methods.md"))
    for cells in rows("model-line.md", "part"):
        for word in re.findall(r"`([a-z-]+)", cells[1]):
            entries.append((word, f"term of the {cells[0]}" if cells[0] != "shocks" else "law of the shocks",
                            "model-line.md"))
    for cells in rows("verdicts.md", "verdict") + rows("verdicts.md", "status"):
        entries.append((cells[0].strip("`"), "verdict", "verdicts.md"))
    warnings = (source / "docs" / "warnings.md").read_text()
    entries += [(w, "warning", "warnings.md") for w in re.findall(r"^\*\*([a-z-]+)\*\*", warnings, re.M)]
    entries += [(w, "error", "warnings.md") for w in re.findall(r"^\| `([a-z-]+)`", warnings, re.M)]
    seen, out = set(), []
    for word, kind, page in sorted(entries):
        if (word, kind) not in seen:
            seen.add((word, kind))
            out.append(f'| {word} | {kind} | <a href="{page_id(page)}.html">{page.removesuffix(".md")}</a> |')
    return ("# Index of words {#page-index-of-words}\n\nEvery test, term, law, verdict, warning and error by name, "
            "and the page that explains it.\n\n| word | what it is | page |\n|---|---|---|\n" + "\n".join(out) + "\n")


folder.mkdir(parents=True, exist_ok=True)
for old in folder.glob("*.md"):
    old.unlink()
for doc in docs:
    (folder / doc.name).write_text(converted(doc.read_text(), doc.name))
for name in others:
    (folder / name).write_text(converted((source / name).read_text(), name))
(folder / "index-of-words.md").write_text(index_of_words())
# The order of the site is that of its first page.
first = (source / "docs/site/index.md").read_text()
first = re.sub(r"\[([^\]]+)\]\(([\w-]+\.md)\)", lambda m: f'@subpage {page_id(m.group(2))} "{m.group(1)}"', first)
(folder / "index.md").write_text(converted(first, "index.md"))
