"""Acts on the rulebook."""

from __future__ import annotations

from collections.abc import Mapping

from django.db import transaction

from wainwright import clock
from wainwright.core.rules import Finding, Level
from wainwright.core.said import joined, say
from wainwright.errors import Refusal
from wainwright.people.models import Membership
from wainwright.rulebook.models import Explanation
from wainwright.trail.services import record


@transaction.atomic
def explain(
    member: Membership, subject: str, findings: list[Finding], identities: list[str], reason: str | Mapping[str, str],
    words: str,
) -> None:  # fmt: skip
    """Give words to one or several findings that ask for a reason, each with a reason that its own rule takes.

    ``reason`` is one for all, or one for each identity. The caller has checked that ``member`` may change the subject.
    Raises ``Refusal``.
    """
    meant = {finding.identity: finding for finding in findings if finding.level == Level.EXPLAIN}
    chosen = [meant[identity] for identity in identities if identity in meant]
    words = words.strip()
    if not chosen:
        raise Refusal(say("That finding is no longer there: its cause has gone."), "words")
    if len(words) < 5:
        raise Refusal(say("Say in a few words why it had to be so."), "words")
    if len(words) > 500:
        raise Refusal(say("That is longer than 500 letters. Say it shorter."), "words")
    given = {f.identity: reason if isinstance(reason, str) else reason.get(f.identity, "") for f in chosen}
    for finding in chosen:
        said = given[finding.identity]
        if finding.reasons and said not in finding.reasons:
            taken = joined(", ", finding.reasons)
            raise Refusal(
                say(
                    "“{said}” does not answer this: {finding_text} Choose of: {taken}.",
                    said=said[:60],
                    finding_text=finding.text,
                    taken=taken,
                ),
                "reason",
            )
    for finding in chosen:
        Explanation.objects.update_or_create(
            subject=subject,
            identity=finding.identity,
            defaults={
                "firm": member.firm,
                "reason": given[finding.identity][:200],
                "words": words,
                "by": member.doer,
                "time": clock.now(),
            },
        )
    record(
        member,
        say("gave a reason"),
        subject,
        after={"findings": [f.identity for f in chosen], "reason": sorted(set(given.values())), "words": words},
    )
