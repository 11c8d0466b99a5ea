"""An identity provider brings people in and takes them out by SCIM 2.0, in the ways in which providers really ask."""

from __future__ import annotations

import json

from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from tests.apps.world import WorldTestCase
from tests.coverage import shows
from wainwright.errors import NotAllowed
from wainwright.identity import bringing
from wainwright.identity.models import Door, Group
from wainwright.news.models import Notice
from wainwright.people.models import Card, Membership, Person
from wainwright.signoff.models import SignOff
from wainwright.staff import leaving, theirs
from wainwright.staff.leaving import Heirs
from wainwright.trail.models import Entry

USER = "urn:ietf:params:scim:schemas:core:2.0:User"
ENTERPRISE = "urn:ietf:params:scim:schemas:extension:enterprise:2.0:User"
GROUP = "urn:ietf:params:scim:schemas:core:2.0:Group"
PATCH = "urn:ietf:params:scim:api:messages:2.0:PatchOp"


class Doors(WorldTestCase):
    def setUp(self):
        _, self.token = bringing.make_door(self.callum)

    def ask(self, method: str, path: str, body=None, token=None, status: int | None = None, **heads):
        send = getattr(self.client, method)
        options = {"headers": {"Authorization": f"Bearer {token or self.token}", **heads}}
        if body is not None:
            options |= {
                "data": body if isinstance(body, bytes) else json.dumps(body),
                "content_type": "application/scim+json",
            }
        with self.done():
            answer = send(f"/scim/v2/{path}", **options)
        if status is not None:
            self.assertEqual(answer.status_code, status, answer.content)
        return answer.json() if answer.content else {}

    def user(self, email="ann@x.example", **more) -> dict:
        return {
            "schemas": [USER],
            "userName": email,
            "name": {"givenName": "Ann", "familyName": "Berg"},
            "active": True,
            "externalId": "e-1",
        } | more

    def patch(self, *operations) -> dict:
        return {"schemas": [PATCH], "Operations": list(operations)}

    def member(self, number) -> Membership:
        return Membership.objects.select_related("person").get(pk=number)


class PeopleTest(Doors):
    def test_somebody_is_brought_in_changed_taken_out_and_brought_back(self):
        made = self.ask(
            "post",
            "Users",
            self.user(title="Pilot")
            | {ENTERPRISE: {"manager": {"value": str(self.tobias.pk)}}, "schemas": [USER, ENTERPRISE]},
            status=201,
        )
        member = self.member(made["id"])
        self.assertEqual(
            (member.person.name, member.job, member.manager, member.roles),
            ("Ann Berg", "Pilot", self.tobias, ["traveller"]),
        )
        self.assertEqual((made["externalId"], made["meta"]["resourceType"]), ("e-1", "User"))
        found = self.ask("get", 'Users?filter=userName eq "ANN@x.example"', status=200)
        self.assertEqual([each["id"] for each in found["Resources"]], [made["id"]])
        whole = {**made, "title": "Captain", "name": {"formatted": "Ann Lund"}}
        self.ask("put", f"Users/{made['id']}", whole, status=200)
        self.assertEqual((self.member(made["id"]).job, self.member(made["id"]).person.name), ("Captain", "Ann Lund"))
        # As one large provider sends it: a capital, a word in place of a value.
        self.ask(
            "patch",
            f"Users/{made['id']}",
            self.patch({"op": "Replace", "path": "active", "value": "False"}),
            status=204,
        )
        self.assertFalse(self.member(made["id"]).active)
        # And as another does: no path.
        self.ask("patch", f"Users/{made['id']}", self.patch({"op": "replace", "value": {"active": True}}), status=204)
        self.assertTrue(self.member(made["id"]).active)
        self.ask("delete", f"Users/{made['id']}", status=204)
        self.ask("get", f"Users/{made['id']}", status=404)
        self.assertFalse(self.member(made["id"]).active)
        again = self.ask("post", "Users", self.user(), status=201)
        self.assertEqual((again["id"], self.member(made["id"]).active), (made["id"], True))
        self.assertEqual(
            list(
                Entry.objects.filter(subject=f"member:{made['id']}").order_by("number").values_list("what", flat=True)
            ),
            [
                "brought a person in",
                "changed a person",
                "retired a person",
                "brought a person back",
                "retired a person",
                "changed a person",
                "brought a person back",
            ],
        )

    def test_who_leaves_has_no_access_at_once_and_nothing_of_theirs_hangs(self):
        self.sent_claim()
        waiting = SignOff.objects.get(kind="claim", state="Waiting", turn=True)
        self.assertEqual(waiting.signer, self.tobias)
        card = Card.objects.create(owner=self.tobias, last_four="9911", issuer="Q", expires=self.today, firm_pays=True)
        self.enter(self.tobias)
        self.assertEqual(self.client.get("/bench/queue/").status_code, 200)
        self.ask(
            "patch",
            f"Users/{self.tobias.pk}",
            self.patch({"op": "replace", "path": "active", "value": False}),
            status=204,
        )
        self.assertEqual(self.client.get("/").status_code, 302)
        self.assertEqual(SignOff.objects.get(kind="claim", state="Waiting", turn=True).signer, self.signe)
        card.refresh_from_db()
        self.assertEqual(card.closed, self.today)
        told = Notice.objects.filter(member=self.callum).latest("pk")
        self.assertIn("waits to be handed over", told.text)
        self.enter(self.callum)
        self.assertContains(self.client.get(f"/people/{self.tobias.pk}/"), "still waits to be handed over")
        page = self.client.get(told.link)
        self.assertContains(page, "Hand it over")
        with self.done():
            leaving.retire(
                self.callum, self.tobias.pk, Heirs(manager=self.ottilie.pk, owner=self.ottilie.pk, give_up=True)
            )
        self.assertFalse(theirs.waits_for_heirs(self.member(self.tobias.pk)))
        self.maren.refresh_from_db()
        self.assertEqual(self.maren.manager, self.ottilie)

    def test_clear_answers_to_what_cannot_be(self):
        last = self.ask(
            "patch",
            f"Users/{self.callum.pk}",
            self.patch({"op": "replace", "path": "active", "value": False}),
            status=400,
        )
        self.assertIn("last administrator", last["detail"])
        self.assertTrue(self.member(self.callum.pk).active)
        self.ask("post", "Users", self.user(self.maren.person.email), status=409)
        self.ask("post", "Users", self.user("no-address"), status=400)
        self.ask("get", "Users/999999", status=404)
        self.ask("get", f"Users/{self.liv.pk}", status=404)
        self.ask("delete", f"Users/{self.liv.pk}", status=404)
        self.ask("post", "Users", b"{nonsense", status=400)
        self.ask("get", "Nothing", status=404)
        self.ask("get", "Users?filter=userName eq", status=400)
        self.ask("get", "Users", token="wd_wrong", status=401)
        circle = self.user(self.tobias.person.email) | {
            "schemas": [USER, ENTERPRISE],
            ENTERPRISE: {"manager": {"value": str(self.maren.pk)}},
        }
        self.assertIn("in turn", self.ask("put", f"Users/{self.tobias.pk}", circle, status=400)["detail"])
        self.ask("put", f"Users/{self.maren.pk}", self.user(self.aiko.person.email), status=409)
        self.assertEqual(Person.objects.filter(email=self.aiko.person.email).count(), 1)

    def test_name_and_address_of_who_is_of_another_firm_too_stay(self):
        self.ask("put", f"Users/{self.benedikt.pk}", self.user("taken-over@x.example"), status=200)
        self.assertEqual(self.member(self.benedikt.pk).person.email, self.benedikt.person.email)

    def test_pages_and_etags(self):
        whole = self.ask("get", "Users?count=500", status=200)
        self.assertEqual(whole["totalResults"], Membership.objects.filter(firm=self.callum.firm).count())
        page = self.ask("get", "Users?startIndex=2&count=2", status=200)
        self.assertEqual([each["id"] for each in page["Resources"]], [each["id"] for each in whole["Resources"]][1:3])
        one = self.ask("get", f"Users/{self.maren.pk}")
        self.ask(
            "put", f"Users/{self.maren.pk}", one | {"title": "A"}, status=200, **{"If-Match": one["meta"]["version"]}
        )
        self.ask(
            "put", f"Users/{self.maren.pk}", one | {"title": "B"}, status=412, **{"If-Match": one["meta"]["version"]}
        )
        self.assertEqual(self.ask("get", 'Users?filter=title eq "A" and active eq true')["totalResults"], 1)
        for path in ("ServiceProviderConfig", "Schemas", "ResourceTypes"):
            self.ask("get", path, status=200)
        with self.assertNumQueries(3):
            self.ask("get", "Users?count=100", status=200)

    def test_no_nonsense_is_an_error_of_ours(self):
        value = st.recursive(
            st.none() | st.booleans() | st.integers() | st.text(max_size=12),
            lambda inner: st.lists(inner, max_size=3) | st.dictionaries(st.text(max_size=6), inner, max_size=3), max_leaves=5,
        )  # fmt: skip
        keys = [
            "userName",
            "active",
            "name",
            "emails",
            "title",
            "externalId",
            "manager",
            "schemas",
            "members",
            "Operations",
            "displayName",
        ]

        @settings(max_examples=60, deadline=None, suppress_health_check=list(HealthCheck))
        @given(st.dictionaries(st.sampled_from([*keys, ENTERPRISE]), value, max_size=5), st.booleans())
        def sent(body, whole):
            for path, kind, send in (
                ("Users", USER, "post"),
                ("Groups", GROUP, "post"),
                (f"Users/{self.maren.pk}", PATCH, "patch"),
            ):
                body |= {"schemas": [kind]} if whole else {}
                answer = getattr(self.client, send)(
                    f"/scim/v2/{path}", json.dumps(body), content_type="application/scim+json", headers={"Authorization": f"Bearer {self.token}"}
                )  # fmt: skip
                self.assertLess(answer.status_code, 500, body)

        sent()


class GroupsTest(Doors):
    def test_being_in_a_group_gives_its_role_and_going_out_takes_it(self):
        made = self.ask(
            "post",
            "Groups",
            {"schemas": [GROUP], "displayName": "Payers", "members": [{"value": str(self.aiko.pk)}]},
            status=201,
        )
        group = Group.objects.get(pk=made["id"])
        self.assertEqual(self.member(self.aiko.pk).roles, ["traveller"])
        self.enter(self.callum)
        self.client.post(f"/firm/sign-in/groups/{group.pk}/", {"role": "finance"})
        self.assertEqual(self.member(self.aiko.pk).roles, ["traveller", "finance"])
        self.ask(
            "patch",
            f"Groups/{group.pk}",
            self.patch({"op": "Add", "path": "members", "value": [{"value": str(self.nadia.pk)}]}),
            status=204,
        )
        self.assertTrue(self.member(self.nadia.pk).finance)
        self.ask(
            "patch",
            f"Groups/{group.pk}",
            self.patch({"op": "remove", "path": f'members[value eq "{self.aiko.pk}"]'}),
            status=204,
        )
        self.assertFalse(self.member(self.aiko.pk).finance)
        self.ask(
            "patch",
            f"Groups/{group.pk}",
            self.patch({"op": "Remove", "path": "members", "value": [{"value": str(self.nadia.pk)}]}),
            status=204,
        )
        self.assertFalse(self.member(self.nadia.pk).finance)
        self.assertEqual(self.ask("get", 'Groups?filter=displayName eq "payers"')["totalResults"], 1)
        self.ask("post", "Groups", {"schemas": [GROUP], "displayName": "Payers"}, status=409)
        self.ask(
            "post",
            "Groups",
            {"schemas": [GROUP], "displayName": "Odd", "members": [{"value": str(self.liv.pk)}]},
            status=400,
        )
        self.ask("delete", f"Groups/{group.pk}", status=204)
        self.ask("get", f"Groups/{group.pk}", status=404)

    def test_a_group_never_takes_the_last_administrator(self):
        made = self.ask(
            "post",
            "Groups",
            {
                "schemas": [GROUP],
                "displayName": "Admins",
                "members": [{"value": str(self.aiko.pk)}, {"value": str(self.callum.pk)}],
            },
            status=201,
        )
        bringing.set_group_role(self.callum, int(made["id"]), "administrator")
        self.ask(
            "patch",
            f"Groups/{made['id']}",
            self.patch({"op": "remove", "path": f'members[value eq "{self.callum.pk}"]'}),
            status=204,
        )
        self.assertEqual(
            (self.member(self.aiko.pk).administrator, self.member(self.callum.pk).administrator), (True, False)
        )
        refused = self.ask("delete", f"Groups/{made['id']}", status=400)
        self.assertIn("no administrator", refused["detail"])
        self.assertTrue(self.member(self.aiko.pk).administrator)


@shows("S10.1")
class DoorTest(Doors):
    def test_the_token_is_shown_once_kept_by_its_hash_and_replaced(self):
        self.enter(self.callum)
        page = self.client.post("/firm/sign-in/door/").content.decode()
        new = page.partition('id="token">')[2].partition("<")[0]
        self.assertTrue(new.startswith("wd_"))
        self.assertNotIn(new, self.client.get("/firm/sign-in/").content.decode())
        self.assertNotIn(new, str(Door.objects.values_list()))
        self.ask("get", "Users", status=401)
        self.ask("get", "Users", token=new, status=200)
        self.client.post("/firm/sign-in/door/shut/")
        self.ask("get", "Users", token=new, status=401)
        with self.assertRaises(NotAllowed):
            bringing.make_door(self.priya)
