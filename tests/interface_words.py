"""The words that reach a painter, from templates, scripts and the strings of Python; for the tests of words."""

from __future__ import annotations

import ast
import html
import re
from collections.abc import Iterator
from pathlib import Path

SOURCE = Path(__file__).resolve().parents[1] / "src"
_TAG = re.compile(r"{%.*?%}|{#.*?#}", re.S)
_VARIABLE = re.compile(r"{{.*?}}", re.S)
_SAID = re.compile(r'(?:title|aria-label|placeholder|alt)="([^"]*)"')
_PLACES = re.compile(r"\$\{(?:[^{}]|\{[^{}]*\})*\}")
_LITERAL = re.compile(r'"((?:[^"\\\n]|\\.)*)"|`((?:[^`\\]|\\.)*)`')

Words = tuple[str, str]
"""Where they are, and what they are, with {} for what the code puts in."""


def of_templates() -> Iterator[Words]:
    """Texts, titles, labels and placeholders of every template."""
    for path in sorted((SOURCE / "orvix_web/templates").rglob("*.html")):
        page = _VARIABLE.sub("{}", _TAG.sub("\n", path.read_text()))
        where = str(path.relative_to(SOURCE))
        for said in _SAID.findall(page):
            yield where, said.strip()
        page = re.sub(r"<(script|style)\b.*?</\1>", "", page, flags=re.S)
        for part in re.split(r"<[^>]*>|\n", re.sub(r"</?(b|i|em|kbd|small)\b[^>]*>", "", page)):
            text = html.unescape(" ".join(part.split()))
            if re.search("[A-Za-z]{2}", text.replace("{}", "")):
                yield where, text


def of_scripts() -> Iterator[Words]:
    """String literals of every module of a page that read like words."""
    for path in sorted((SOURCE / "orvix_web/static/orvix").glob("*.js")):
        code = re.sub(r"(^|\s)//.*$", "", path.read_text(), flags=re.M)
        for plain, filled in _LITERAL.findall(code):
            text = _PLACES.sub("{}", plain or filled)
            if re.search("[A-Za-z]{2}", text) and (" " in text.strip() or text[:1].isupper()):
                yield str(path.relative_to(SOURCE)), text


def of_python() -> Iterator[Words]:
    """Strings of the core and of the web application that have a space; no docstrings, nothing of the demo."""
    for package in ("orvix", "orvix_web"):
        for path in sorted((SOURCE / package).rglob("*.py")):
            if "migrations" in path.parts:
                continue
            for text in _strings(ast.parse(path.read_text())):
                if " " in text.strip():
                    yield str(path.relative_to(SOURCE)), text


def _strings(tree: ast.Module) -> Iterator[str]:
    left_out: set[int] = set()
    for node in ast.walk(tree):
        if isinstance(node, ast.Expr) and isinstance(node.value, ast.Constant):
            left_out.add(id(node.value))
        elif isinstance(node, ast.JoinedStr):
            left_out.update(id(part) for part in node.values)
            yield "".join(
                part.value if isinstance(part, ast.Constant) and isinstance(part.value, str) else "{}"
                for part in node.values
            )
        elif isinstance(node, ast.Constant) and isinstance(node.value, str) and id(node) not in left_out:
            yield node.value
