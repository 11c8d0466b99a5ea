"""A person at the pages without a browser: sees, follows links, fills forms and presses, each act counted.

What is pressed is looked for on the page as it was answered, so that no way is taken that is not there. Where a script
would send a part of the page alone, the part is sent as the script does, and the page is looked at again.
"""

from __future__ import annotations

import json
import re
from contextlib import nullcontext
from urllib.parse import urljoin, urlsplit

from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import Client
from lxml import html

from wainwright.people.models import Membership

SPACES = re.compile(r"\s+")
FIELDS = ".//input | .//select | .//textarea"
PRESSED = ".//button | .//a[@href] | .//input[@type='submit']"
WRONG = 400
# A form that comes back with what is wrong with it.
UNFIT = 422


def said(element: html.HtmlElement) -> str:
    """What an element says, in one line."""
    return (
        SPACES.sub(" ", element.text_content() or "").strip()
        or element.get("value", "")
        or element.get("aria-label", "")
    )


class Hand:
    """Somebody's hand: at first on the page that they come to when they have signed in."""

    def __init__(self, member: Membership, start: str = "/", done=nullcontext):
        self.client = Client(HTTP_HOST="127.0.0.1")
        self.client.force_login(member.person)
        session = self.client.session
        session["firm"] = member.firm_id
        session.save()
        # What waits for the transaction is run once an act is done, as it is in a request.
        self.done, self.inputs, self.path = done, 0, start
        self.files: dict[html.HtmlElement, list[SimpleUploadedFile]] = {}
        self.go(start)

    def go(self, path: str) -> None:
        """Come to a page, by no act of one's own: where a mail or a kept address leads."""
        self._take(self._asked(self.client.get, path, follow=False))

    def _asked(self, send, *args, **options):
        options["headers"] = {"Referer": f"http://127.0.0.1{self.path}", **options.get("headers", {})}
        with self.done():
            return send(*args, **options)

    def text(self) -> str:
        """What the page says."""
        return SPACES.sub(" ", self.page.body.text_content() if self.page.find("body") is not None else said(self.page))

    def sees(self, *texts: str) -> None:
        """Fail where the page does not say a text."""
        for each in texts:
            if each not in self.text():
                raise AssertionError(f"“{each}” is not on {self.path}: {self.text()[:1500]}")

    def press(self, text: str, within: str = "") -> None:
        """Press the first button or link that says a text."""
        self.inputs += 1
        self._pressed(self._found(PRESSED, lambda each: text in said(each), within, text))

    def _pressed(self, element: html.HtmlElement) -> None:
        if element.get("data-opens"):
            # A dialog of the page opens; what it asks lies on the page already.
            return
        if element.tag == "a" and not element.get("hx-get"):
            self.go(urljoin(self.path, element.get("href")))
        elif element.get("hx-post") or element.get("hx-get"):
            self._send_part(element)
        else:
            self._send(element)

    def press_at(self, path: str) -> None:
        """Press the first thing that a path finds, where many say the same."""
        found = self.page.xpath(path)
        if not found:
            raise AssertionError(f"nothing is at {path} on {self.path}: {self.text()[:900]}")
        self.inputs += 1
        self._pressed(found[0])

    def put(self, name: str, value: str, within: str = "", which: int = 0) -> None:
        """Type into a field, choose of a list, or tick; found by its name or its label."""
        self.inputs += 1
        self._set(self._field(name, within, which, value), value)

    def attach(self, name: str, within: str = "", **files: bytes) -> None:
        """Choose files in a field for them, the names with two underscores for the dot; some fields send them at once."""
        self.inputs += 1
        field = self._field(name, within, 0, "")
        self.files[field] = [SimpleUploadedFile(key.replace("__", "."), content) for key, content in files.items()]
        form = self._form_of(field)
        if form is not None and (form.get("data-drop") is not None or field.get("data-send-on-change") is not None):
            self._send(form, form)

    def _scope(self, within: str) -> html.HtmlElement:
        if not within:
            return self.page
        found = self.page.xpath(within if within.startswith(".//") else f".//*[@id='{within}']")
        if not found:
            raise AssertionError(f"no {within} on {self.path}")
        return found[0]

    def _found(self, path: str, fits, within: str, wanted: str) -> html.HtmlElement:
        every = [each for each in self._scope(within).xpath(path) if each.get("disabled") is None]
        found = sorted((each for each in every if fits(each)), key=lambda each: said(each) != wanted)
        if not found:
            there = sorted({said(each)[:50] or each.get("name", "") for each in every})
            raise AssertionError(f"nothing says “{wanted}” on {self.path}; there is: {there}\n{self.text()[:900]}")
        return found[0]

    def _field(self, name: str, within: str, which: int, value: str) -> html.HtmlElement:
        scope = self._scope(within)
        every = [each for each in scope.xpath(FIELDS) if each.get("type") != "hidden"]
        found = [each for each in every if each.get("name") == name]
        if not found:
            marked = [each for each in scope.xpath(".//label") if name in said(each)]
            ids = {each.get("for") for each in marked} - {None}
            held = [inner for each in marked for inner in each.xpath(FIELDS)]
            found = [each for each in every if each.get("id") in ids or each in held]
        if found and found[0].get("type") in ("radio", "checkbox") and value not in ("", "on"):
            found = [each for each in found if each.get("value") == value or value in said(each.getparent())] or found
        if len(found) <= which:
            there = sorted({each.get("name") or "" for each in every})
            raise AssertionError(f"no field {name} on {self.path}; there are: {there}")
        return found[which]

    def _set(self, field: html.HtmlElement, value: str) -> None:
        if field.tag == "textarea":
            field.text = value
        elif field.tag == "select":
            options = field.xpath(".//option")
            chosen = [each for each in options if each.get("value", said(each)) == value] or [
                each for each in options if value in said(each)
            ]
            if not chosen:
                raise AssertionError(f"{field.get('name')} has no {value}: {[said(each) for each in options][:40]}")
            for each in options:
                each.attrib.pop("selected", None)
            chosen[0].set("selected", "selected")
        elif field.get("type") == "radio":
            for each in self.page.xpath(f".//input[@name='{field.get('name')}']"):
                each.attrib.pop("checked", None)
            field.set("checked", "checked")
        elif field.get("type") == "checkbox":
            if not value or field.get("checked") is not None:
                field.attrib.pop("checked", None)
            else:
                field.set("checked", "checked")
        else:
            field.set("value", value)

    def _form_of(self, element: html.HtmlElement) -> html.HtmlElement | None:
        if element.get("form"):
            found = self.page.xpath(f".//form[@id='{element.get('form')}']")
            return found[0] if found else None
        return next(iter(element.xpath("ancestor::form")), None)

    def _values(self, form: html.HtmlElement) -> dict[str, list]:
        data: dict[str, list] = {}
        for field in self.page.xpath(FIELDS):
            name, kind = field.get("name"), field.get("type")
            if not name or field.get("disabled") is not None or self._form_of(field) is not form:
                continue
            if kind == "file":
                values: list = self.files.get(field, [])
            elif kind in ("submit", "button", "image"):
                values = []
            elif kind in ("radio", "checkbox"):
                values = [field.get("value", "on")] if field.get("checked") is not None else []
            elif field.tag == "select":
                options = field.xpath(".//option")
                chosen = [each for each in options if each.get("selected") is not None]
                chosen = chosen or ([] if field.get("multiple") is not None else options[:1])
                values = [each.get("value", said(each)) for each in chosen]
            else:
                values = [field.text or "" if field.tag == "textarea" else field.get("value", "")]
            if values:
                data.setdefault(name, []).extend(values)
        return data

    def _send(self, button: html.HtmlElement, form: html.HtmlElement | None = None) -> None:
        before = self.path
        form = self._form_of(button) if form is None else form
        if form is None:
            raise AssertionError(
                f"“{said(button)}” on {self.path} belongs to no form, and does nothing without a script"
            )
        data = self._values(form)
        if button is not form and button.get("name"):
            data.setdefault(button.get("name"), []).append(button.get("value", ""))
        target = urljoin(self.path, button.get("formaction") or form.get("action") or form.get("hx-post") or "")
        if (
            button.get("formmethod") or form.get("method") or ("post" if form.get("hx-post") else "get")
        ).lower() == "get":
            self._take(self._asked(self.client.get, urlsplit(target)._replace(query="").geturl(), data, follow=False))
        else:
            self._take(self._asked(self.client.post, target, data, follow=False))
            if self.answer.status_code == UNFIT:
                # A script puts what is wrong into the page, which stays where it is.
                self.path = before

    def _send_part(self, element: html.HtmlElement) -> None:
        """As the script of the pages sends a part: with the form it stands in, and what it names itself."""
        target = urljoin(self.path, element.get("hx-post") or element.get("hx-get") or "")
        form = self._form_of(element)
        data = self._values(form) if form is not None and element.get("hx-post") else {}
        data |= {key: [str(value)] for key, value in json.loads(element.get("hx-vals") or "{}").items()}
        if element.get("name"):
            data.setdefault(element.get("name"), []).append(element.get("value", ""))
        send = self.client.post if element.get("hx-post") else self.client.get
        self._take(self._asked(send, target, data, headers={"HX-Request": "true"}), part=True)

    def _take(self, answer, part: bool = False) -> None:
        if answer.status_code >= WRONG and answer.status_code != UNFIT:
            raise AssertionError(
                f"{answer.status_code} at {answer.request['PATH_INFO']}: {answer.content.decode()[-800:]}"
            )
        leads = answer.headers.get("HX-Redirect") or answer.headers.get("HX-Location")
        if leads:
            self.go(leads)
            return
        if answer.status_code in (301, 302, 303):
            self.go(urljoin(answer.request["PATH_INFO"], answer.headers["Location"]))
            return
        if not answer.headers.get("Content-Type", "").startswith("text/html"):
            # A file that was fetched: the page stays where it is.
            self.fetched = answer
            return
        self.answer, content = answer, answer.content.decode()
        if part and "<html" not in content:
            held = html.fragment_fromstring(content or " ", create_parent="div")
            self.page.body.append(held)
            return
        self.page = html.document_fromstring(content)
        # Scripts are on, and the card of keys is shut.
        for keys in self.page.xpath(".//noscript | .//dialog[@id='keys']"):
            keys.drop_tree()
        for part in self.page.xpath(".//*[@hx-trigger='load'][@hx-get]"):
            # What the page fetches by itself once it is there.
            fetched = self._asked(self.client.get, part.get("hx-get"), follow=False, headers={"HX-Request": "true"})
            part.getparent().replace(part, html.fragment_fromstring(fetched.content.decode(), create_parent="div"))
        asked = answer.request
        self.path = asked["PATH_INFO"] + (f"?{asked['QUERY_STRING']}" if asked.get("QUERY_STRING") else "")
