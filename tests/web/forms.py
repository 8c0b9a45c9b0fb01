"""The forms of a page, as a browser would send them."""

from __future__ import annotations

from html.parser import HTMLParser


class Forms(HTMLParser):
    """The forms of a page: where each goes, its fields as they stand, and its buttons."""

    def __init__(self) -> None:
        super().__init__()
        self.forms: list[dict] = []
        self._form: dict | None = None
        self._select: list[str] = []
        self._textarea = self._written = False

    def handle_starttag(self, tag, attrs):
        has = {name: value or "" for name, value in attrs}
        name, value = has.get("name", ""), has.get("value", "")
        if tag == "form":
            post = has.get("method", "").lower() == "post"
            self._form = {"to": has.get("action", "") if post else "", "fields": [], "buttons": []}
            self.forms.append(self._form)
        elif self._form is None:
            return
        elif tag == "input" and has.get("type") == "file":
            self._form["to"] = ""
        elif tag == "input" and name and (has.get("type") not in ("checkbox", "radio") or "checked" in has):
            self._form["fields"].append((name, value))
        elif tag == "textarea" and name:
            self._form["fields"].append((name, ""))
            self._textarea = True
        elif tag == "select":
            self._select = [name]
        elif tag == "option" and self._select and (len(self._select) == 1 or "selected" in has):
            self._select[1:] = [value]
            self._written = "value" not in has
        elif tag == "button":
            self._form["buttons"].append((name, value))

    def handle_data(self, data):
        if self._textarea and self._form is not None:
            name, said = self._form["fields"][-1]
            self._form["fields"][-1] = name, said + data
        elif self._written and len(self._select) == 2:  # an option that says itself what it stands for
            self._select[1] += data.strip()

    def handle_endtag(self, tag):
        self._textarea = self._written = False
        if tag == "select" and self._form is not None and len(self._select) == 2 and self._select[0]:
            self._form["fields"].append(tuple(self._select))
        self._form = None if tag == "form" else self._form
        self._select = [] if tag == "select" else self._select
