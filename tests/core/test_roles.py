"""The table of roles: whole, asked by the code, and narrow where it must be."""

from __future__ import annotations

import re
from pathlib import Path

from django.test import SimpleTestCase

from wainwright.core.roles import ACTS, ROLES, may

CODE = Path(__file__).resolve().parents[2] / "wainwright"


class RolesTest(SimpleTestCase):
    def test_every_act_has_words_a_refusal_and_roles_that_are_there(self):
        for key, act in ACTS.items():
            with self.subTest(key):
                self.assertTrue(act.words and act.refusal.endswith(".") and act.area)
                self.assertTrue(act.roles and set(act.roles) <= set(ROLES))
        self.assertEqual({role for act in ACTS.values() for role in act.roles}, set(ROLES))

    def test_whoever_approves_cannot_pay_and_an_auditor_only_reads(self):
        self.assertFalse(any(may({"approver"}, key) for key in ("pay", "post", "check", "read_all", "people")))
        opened = {key for key in ACTS if may({"auditor"}, key)}
        self.assertTrue(all(key.startswith("read") or key == "queue" for key in opened))
        self.assertTrue(may({"traveller", "finance"}, "pay"))
        with self.assertRaises(KeyError):
            may({"finance"}, "fly")

    def test_every_act_of_the_table_is_asked_by_the_code_and_none_besides(self):
        asked = set()
        for path in CODE.rglob("*"):
            if path.suffix in (".py", ".html") and path.name != "roles.py":
                text = path.read_text(encoding="utf-8")
                asked |= set(re.findall(r'(?:must\([\w.]+, |\bmay\[|may\([\w.]+, )"(\w+)"', text))
                asked |= set(re.findall(r"\bmember\.may\.(\w+)", text))
                asked |= set(re.findall(r'"/[\w/]*", "\w", "(\w+)"\)', text))
        self.assertEqual(asked - set(ACTS), set())
        self.assertEqual(set(ACTS) - asked, set())

    def test_no_service_asks_a_role_past_the_table(self):
        """Roles by name are asked where it is about the role itself: routes, forms, who is told."""
        wild = []
        for path in CODE.rglob("*.html"):
            text = path.read_text(encoding="utf-8")
            wild += [
                f"{path.name}: {found}"
                for found in re.findall(r"\bmember\.(?:finance|administrator|approver|traveller)\b", text)
            ]
        for path in CODE.rglob("*.py"):
            for line in path.read_text(encoding="utf-8").splitlines():
                if re.search(r"if not [\w.]*(?:member|by)\.(?:finance|administrator|approver|traveller)\b", line):
                    wild.append(f"{path.name}: {line.strip()}")
        self.assertEqual(wild, [])
