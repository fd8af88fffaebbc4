"""What every template can show: the labels of stored words, and icons."""

from __future__ import annotations

from typing import Any

from django import template
from django.templatetags.static import static
from django.utils.html import format_html
from django.utils.safestring import SafeString

from orvix import labels

register = template.Library()


@register.filter
def label(word: object, of: str = "") -> str:
    """The label of a stored word; of: the name of the value it is a choice of."""
    return labels.label(str(word), of)


@register.filter
def words(text: str) -> list[str]:
    """The words of a text, for a list inside a template."""
    return text.split()


@register.inclusion_tag("parts/value.html", takes_context=True)
def slider(
    context: template.Context, name: str, title: str, low: float, high: float, default: float, **more: str
) -> dict[str, Any]:
    """A value with a range, as `values.js` takes it. more: unit, help for the tooltip, and keys, the actions' names."""
    spread = {"name": name, "title": title, "kind": "number", "low": low, "high": high, "default": default}
    keys = more.get("keys", "").split()
    help_words = " ".join([more.get("help", ""), *([key(context, *keys)] if keys else [])])
    return {"value": spread | {"unit": more.get("unit", ""), "help": help_words}, "now": default}


@register.simple_tag(takes_context=True)
def key(context: template.Context, *names: str) -> str:
    """The end of a tooltip: which keys stand for these actions, as the painter has them."""
    return f"{'Key' if len(names) == 1 else 'Keys'}: {' and '.join(keycap(context, name) for name in names)}"


@register.simple_tag(takes_context=True)
def keycap(context: template.Context, name: str) -> str:
    """The key of an action alone."""
    keys: Any = context["keys"]
    return str((keys() if callable(keys) else keys)[name])


@register.simple_tag
def icon(name: str) -> SafeString:
    """An icon beside a word, or alone in a control that has a name: one of the vendored sprite, or `own-` and ours."""
    sprite = static("orvix/icons.svg" if name.startswith("own-") else "vendor/tabler-icons.svg")
    return format_html('<svg class="icon" aria-hidden="true"><use href="{}#{}"/></svg>', sprite, name)
