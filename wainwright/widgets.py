"""Fields of forms as HTML: what Django's own templates write, without a template for each option of each list.

A form with two lists of currencies is three hundred options; a template for each took longer than all else on its page.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from django.forms.renderers import DjangoTemplates
from django.utils.html import conditional_escape as escape
from django.utils.safestring import SafeString, mark_safe

OWN = "django/forms/widgets/"
INPUTS = frozenset(
    f"{OWN}{name}.html"
    for name in ("checkbox", "date", "datetime", "email", "file", "hidden", "input", "number", "password", "text", "time", "url")
)  # fmt: skip


class Renderer(DjangoTemplates):
    """Writes inputs and lists itself; whatever else a form has comes from its template."""

    def render(self, template_name: str, context: Mapping[str, Any], request=None) -> SafeString:
        """Return the HTML of one field."""
        if template_name in INPUTS:
            return mark_safe(_input(context["widget"]))
        if template_name == f"{OWN}select.html":
            return mark_safe(_select(context["widget"]))
        return super().render(template_name, context, request)


def _attributes(given: Mapping[str, Any]) -> str:
    return "".join(
        f" {escape(name)}" if value is True else f' {escape(name)}="{escape(str(value))}"'
        for name, value in given.items()
        if value is not False
    )


def _input(widget: Mapping[str, Any]) -> str:
    value = "" if widget["value"] is None else f' value="{escape(str(widget["value"]))}"'
    kind, name = escape(widget["type"]), escape(widget["name"])
    return f'<input type="{kind}" name="{name}"{value}{_attributes(widget["attrs"])}>'


def _select(widget: Mapping[str, Any]) -> str:
    parts = [f'<select name="{escape(widget["name"])}"{_attributes(widget["attrs"])}>']
    for group, options, _ in widget["optgroups"]:
        if group:
            parts.append(f'<optgroup label="{escape(group)}">')
        parts += [
            f'<option value="{escape(str(option["value"]))}"{_attributes(option["attrs"])}>{escape(option["label"])}</option>'
            for option in options
        ]
        if group:
            parts.append("</optgroup>")
    parts.append("</select>")
    return "".join(parts)
