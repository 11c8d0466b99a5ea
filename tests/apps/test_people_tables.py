"""People from a table: looked at first, wrong rows said at their cells, the others invited together or not at all."""

from __future__ import annotations

import random
from unittest import mock

from django.core import mail
from django.core.files.uploadedfile import SimpleUploadedFile

from tests.apps.world import WorldTestCase
from tests.coverage import shows
from wainwright.errors import NotAllowed, Refusal, Stale
from wainwright.formats.tables import write_xlsx
from wainwright.people.models import Membership, Person
from wainwright.staff import importing
from wainwright.staff.checking import NEW, WRONG
from wainwright.staff.models import PeopleTable
from wainwright.trail.models import Entry

HEAD = "Name,E-mail,Title,Reports to,Roles,Signs up to,Coding"


class Tables(WorldTestCase):
    def table(self, *lines: str, head: str = HEAD) -> PeopleTable:
        return importing.read_table(self.callum, "people.csv", "\n".join([head, *lines]).encode())

    def faults(self, *lines: str) -> list[list[str]]:
        return [[column for column, _ in row.faults] for row in importing.checked(self.table(*lines))]

    def take(self, table: PeopleTable) -> PeopleTable:
        said = sum(row.what == NEW for row in importing.checked(table))
        with self.done():
            return importing.invite_all(self.callum, table.pk, said)


class TableTest(Tables):
    def test_three_bad_rows_in_five_hundred_stay_behind(self):
        """In whatever order the rows stand, whoever leads comes before those they lead."""
        lines = ['Head Boat,head@x.example,Head,Tobias Achterberg,approver and traveller,"2,500.00",3120']
        lines += [f"Person {n:03},p{n}@x.example,Deckhand,head@x.example,,," for n in range(496)]
        lines += [
            "No Address,not-an-address,,Head Boat,,,",
            "Odd Role,odd@x.example,,Head Boat,captain,,",
            "Again,p7@x.example,,Head Boat,,,",
        ]
        random.Random(4).shuffle(lines)
        table = self.table(*lines)
        rows = importing.checked(table)
        wrong = {row.cells["name"]: [column for column, _ in row.faults] for row in rows if row.what == WRONG}
        self.assertEqual((len(wrong), sum(row.what == NEW for row in rows)), (3, 497))
        self.assertEqual((wrong["No Address"], wrong["Odd Role"]), (["email"], ["roles"]))
        before = len(mail.outbox)
        with self.assertNumQueries(3):
            importing.checked(PeopleTable.objects.select_related("firm").get(pk=table.pk))
        self.assertEqual(self.take(table).invited, 497)
        self.assertEqual(len(mail.outbox) - before, 497)
        head = Membership.objects.select_related("person").get(person__email="head@x.example")
        self.assertEqual(
            (head.manager, head.roles, head.limit_minor), (self.tobias, ["traveller", "approver"], 250_000)
        )
        self.assertEqual(head.reports.count(), 496)
        led = head.reports.order_by("pk").first()
        self.assertEqual((led.codes, led.roles, led.person.has_usable_password()), (head.codes, ["traveller"], False))
        entry = Entry.objects.get(what="invited people from a table")
        self.assertIn("Head Boat: traveller, approver", entry.after)
        with self.assertRaises(Stale):
            importing.invite_all(self.callum, table.pk, 497)

    def test_each_fault_is_said_at_its_cell(self):
        self.assertEqual(
            self.faults(
                ",a@x.example,,Tobias,,,", "Bo,b@x.example,,Nobody Known,,,", "Cy,c@x.example,,,,,", "Di,d@x.example,,di@x.example,,,",
                "Ed,e@x.example,,Tobias Achterberg,,lots,", "Fi,f@x.example,,Tobias Achterberg,,,no such code", "Gu,g@x.example,,,finance,,",
                "Hy,maren.oyelaran@brackwater.example,,,,,",
            ),
            [["name", "manager"], ["manager"], ["manager"], ["manager"], ["limit"], ["coding"], [], []],
        )  # fmt: skip

    def test_a_circle_and_whoever_is_led_by_a_wrong_row(self):
        found = self.faults(
            "Al,a@x.example,,b@x.example,,,", "Bo,b@x.example,,c@x.example,,,", "Cy,c@x.example,,a@x.example,,,", "Di,d@x.example,,a@x.example,,,",
            "Ed,e@x.example,,d@x.example,,,",
        )  # fmt: skip
        self.assertEqual(found, [["manager"]] * 5)
        # Somebody here is led by no row, so a circle through them cannot be.
        self.assertEqual(self.faults("Al,a@x.example,,b@x.example,,,", "Bo,b@x.example,,Maren Oyelaran,,,"), [[], []])

    def test_names_in_any_letters_find_their_own_and_no_other(self):
        rows = importing.checked(
            self.table(
                "Øyvind Ås,o@x.example,,Tobias Achterberg,approver,,", "Yvind S,y@x.example,,Tobias Achterberg,approver,,", "Ιωάννα Φάρου,i@x.example,,ØYVIND ÅS,approver,,",
                "Мария Вода,m@x.example,,Ιωάννα Φάρου,,,",
            )
        )  # fmt: skip
        self.assertEqual([row.faults for row in rows], [[]] * 4)
        self.assertEqual([row.led_by for row in rows[2:]], ["o@x.example", "i@x.example"])

    def test_an_address_of_another_firm_is_of_both_and_one_who_left_is_brought_back(self):
        Membership.objects.filter(pk=self.nadia.pk).update(active=False)
        table = self.table(
            f"Liv Hagen,{self.liv.person.email.upper()},,Tobias Achterberg,,,", f"Nadia,{self.nadia.person.email},,Tobias Achterberg,,,"
        )  # fmt: skip
        first, second = importing.checked(table)
        self.assertEqual((first.what, [c for c, _ in second.faults]), (NEW, ["email"]))
        self.take(table)
        self.assertEqual(Person.objects.filter(email__iexact=self.liv.person.email).count(), 1)
        self.assertEqual(self.liv.person.memberships.count(), 2)

    def test_what_changed_between_look_and_act_is_said_and_a_death_leaves_nothing(self):
        table = self.table("Al,a@x.example,,Tobias Achterberg,,,", "Bo,b@x.example,,a@x.example,,,")
        count = Membership.objects.count()
        with mock.patch("wainwright.staff.importing.record", side_effect=RuntimeError), self.assertRaises(RuntimeError):
            importing.invite_all(self.callum, table.pk, 2)
        self.assertEqual((Membership.objects.count(), Person.objects.filter(email="a@x.example").count()), (count, 0))
        Membership.objects.filter(pk=self.tobias.pk).update(active=False)
        with self.assertRaisesRegex(Stale, "0 can be invited by now, not 2"):
            importing.invite_all(self.callum, table.pk, 2)
        with self.assertRaises(NotAllowed):
            importing.invite_all(self.priya, table.pk, 2)

    def test_files_that_are_no_table_say_so(self):
        for content, words in (
            (b"", "Choose a file"), (b"\x00\x01\x02", ""), (b"first;second\n1;2\n", "does not name the columns"), (HEAD.encode(), "no rows"),
            (b"PK\x03\x04nonsense", "damaged"), (b"name,email\n" + b"x,x@x.example\n" * 10_001, "more than 10000"),
        ):  # fmt: skip
            with self.subTest(content[:20]), self.assertRaises(Refusal) as refused:
                importing.read_table(self.callum, "x", content)
            self.assertIn(words, refused.exception.message)
        self.assertFalse(PeopleTable.objects.exists())

    @shows("U5.1")
    def test_from_the_page_to_the_mail_with_a_workbook(self):
        self.enter(self.callum)
        content = write_xlsx(
            "People",
            ["Employee", "Mail", "Line manager"],
            [["=Ann", "ann@x.example", "Tobias Achterberg"], ["Bea", "bea", "Ann"]],
        )
        sent = self.client.post("/people/table/", {"file": SimpleUploadedFile("p.xlsx", content)})
        page = self.client.get(sent["Location"])
        self.assertContains(page, "2 rows: 1 to invite, 1 with something wrong")
        self.assertContains(page, "That is no address for mail.")
        wrong = b"".join(self.client.get(f"{sent['Location']}wrong.csv").streaming_content).decode()
        self.assertIn("Bea,bea,", wrong)
        with self.done():
            answer = self.client.post(f"{sent['Location']}invite/", {"said": "1"}, follow=True)
        self.assertContains(answer, "1 person is invited")
        self.assertTrue(any(each.to == ["ann@x.example"] for each in mail.outbox))
        self.assertContains(self.client.get(sent["Location"]), "1 person invited")
        self.assertEqual(self.client.post("/people/table/", {}).status_code, 422)
