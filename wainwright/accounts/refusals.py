"""What a ledger's refusals mean: a table from its code to a sentence in the reader's words, the cure, and whom it concerns."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from wainwright.accounts.models import Posting
from wainwright.accounts.selectors import books
from wainwright.core.coding import ACCOUNT
from wainwright.core.said import joined, say

Whom = Literal["claimant", "finance", "administrator"]


@dataclass(frozen=True, slots=True)
class Meaning:
    """One code of a ledger: ``{about}`` in the sentence and the cure is what it is about."""

    sentence: str
    cure: str
    whom: Whom = "finance"


# A further code of a ledger is one line here. What is not here is shown in the ledger's own words.
MEANINGS = {
    "LB-104": Meaning(say("The ledger has closed the month {about}."), say("Post it into an open month, or ask for the month to be opened.")),
    "LB-201": Meaning(say("The ledger does not know {about}."), say("Choose another code and post again.")),
    "LB-202": Meaning(say("The ledger has closed {about}."), say("Choose an open code and post again.")),
    "LB-305": Meaning(say("The ledger asks for a {about} that is missing."), say("Add it and post again.")),
    "LB-410": Meaning(say("Debits and credits differ for the ledger."), say("Nothing can be mended here: tell whoever runs this machine, with the journal's key."), "administrator"),
    "LB-501": Meaning(say("The ledger does not know the supplier {about}."), say("Connect the person with a supplier under Masters, then post again.")),
    "LB-900": Meaning(say("The connection to the ledger is not allowed any more."), say("Hand it to somebody under Masters, or give it a new token."), "administrator"),
}  # fmt: skip


@dataclass(frozen=True, slots=True)
class RefusalSaid:
    """A refusal in the reader's words."""

    sentence: str
    cure: str
    whom: Whom

    @property
    def words(self) -> str:
        """The sentence and the cure."""
        return joined(" ", filter(None, (self.sentence, self.cure)))


def refusal_said(posting: Posting) -> RefusalSaid:
    """Translate what the ledger refused; unknown codes are said in the ledger's own words, to finance."""
    meaning = MEANINGS.get(posting.refusal_code)
    if meaning is None:
        words = say("The ledger refused the journal. Its own words: {refusal_text}", refusal_text=posting.refusal_text)
        return RefusalSaid(words, "", "finance")
    about = _about(posting)
    # Formatted, a sentence is its English: the message that the reader's language is found by.
    return RefusalSaid(say(f"{meaning.sentence}", about=about), say(f"{meaning.cure}", about=about), meaning.whom)


def _about(posting: Posting) -> str:
    kind, parted, code = posting.refusal_about.partition(":")
    if not parted:
        return posting.refusal_about
    ledger = books(posting.firm).codes
    name = ACCOUNT if kind == ACCOUNT else ledger.dimension(kind).name
    return (
        say("{name} for {code}", name=name, code=code)
        if posting.refusal_code == "LB-305"
        else joined("", (name, " ", code))
    )


def refusal_words(posting: Posting) -> str:
    """Say in the reader's language what the ledger refused, and what to do."""
    return refusal_said(posting).words
