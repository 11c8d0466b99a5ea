"""An administrator lets somebody go and has them back: what was open goes on, and nothing hangs."""

from __future__ import annotations

from contextlib import nullcontext

from tests.apps.world import World
from tests.browser.base import BrowserTestCase
from wainwright.accounts.models import Code
from wainwright.claims.models import Claim
from wainwright.people.models import Membership
from wainwright.signoff.models import SignOff


class PeopleTest(World, BrowserTestCase):
    seconds = 60

    def setUp(self):
        super().setUp()
        self.meet_the_people()

    def done(self):
        """What waits for the transaction is run as it is kept."""
        return nullcontext()

    def test_an_approver_is_retired_with_open_work_and_brought_back(self):
        """What waits for him is decided by the next above; his people, codings and access are handed over in one act."""
        claim = self.sent_claim()
        Code.objects.filter(firm=self.tobias.firm, dimension="cost_centre", code="3140").update(owner=self.tobias)
        self.sign_in("Callum Iwasaki")
        self.open("/people/")
        self.press("Tobias Achterberg")
        self.press("They leave")
        self.see("Decisions that wait for them", "Codings they own", "claim of Maren Oyelaran")
        self.press("Retire Tobias Achterberg")
        self.see("Say who owns the codings of Tobias Achterberg")
        self.put("#id_owner", "Ottilie Marsh")
        self.press("Retire Tobias Achterberg")
        self.see("no access from now on", "not here any more")
        waiting = SignOff.objects.get(object_id=claim.pk, kind="claim", state="Waiting", turn=True)
        self.assertNotEqual(waiting.signer_id, self.tobias.pk)
        self.sign_in(waiting.signer.person.name)
        self.open(f"/bench/claim/{claim.pk}/")
        self.press("Approve")
        self.do(lambda d: Claim.objects.get(pk=claim.pk).state == "In finance check")
        self.sign_in("Callum Iwasaki")
        self.open(f"/people/{self.tobias.pk}/")
        self.press("Bring back")
        self.see("is back, with the roles of before")
        back = Membership.objects.get(pk=self.tobias.pk)
        self.assertEqual((back.active, back.approver, back.person.is_active), (True, True, True))
