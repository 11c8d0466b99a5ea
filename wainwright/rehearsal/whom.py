"""Whom a rule is meant for, as it is typed and as it is said: roles, codes, countries, people."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field

from wainwright.accounts.models import Code, Dimension
from wainwright.core.roles import ROLES
from wainwright.core.said import joined, say
from wainwright.formats.countries import countries
from wainwright.people.models import Firm, Membership

MOST = 60
LEAVES_OUT = "-"


class NoGroup(ValueError):
    """What of a list means no group, or several, in words."""


@dataclass(frozen=True)
class Groups:
    """What can be named in a firm: words by key, and the keys that each word may mean."""

    words: dict[str, str]
    meant: dict[str, list[str]] = field(default_factory=dict)

    @classmethod
    def of(cls, firm: Firm) -> Groups:
        """Load the roles, people, codes and countries of a firm. Three queries."""
        names = {each.code: each.name for each in Dimension.objects.filter(firm=firm)}
        rows: list[tuple[str, str, tuple[str, ...]]] = [
            (f"role:{role}", say("role {role}", role=role), (role, f"{role}s")) for role in ROLES
        ]
        for code, name in countries().items():
            rows.append((f"country:{code}", name, (code,)))
        for dimension, code, name in Code.objects.filter(firm=firm).values_list("dimension", "code", "name"):
            if dimension in names:
                words = f"{names[dimension].lower()} {code}"
                rows.append((f"code:{dimension}:{code}", words, (code, f"{words} {name}")))
        people = list(Membership.objects.filter(firm=firm).values_list("pk", "person__name", "person__email"))
        often = Counter(name.casefold() for _, name, _ in people)
        for pk, name, email in people:
            # What is shown can be typed: a name alone where it is one person's and has no comma.
            alone = often[name.casefold()] == 1 and "," not in name
            rows.append((f"person:{pk}", name if alone else email, (name, email)))
        groups = cls({key: words for key, words, _ in rows})
        for key, words, typed in rows:
            for each in {f"{words}", str(words), *typed}:
                groups.meant.setdefault(each.casefold(), []).append(key)
        return groups

    def read(self, named: str, left_out: str = "") -> list[str]:
        """Return the keys of what is typed, a line each or parted by commas; left out are those with a minus before.

        Raises ``NoGroup`` with everything that means nothing, or several.
        """
        wrong: list[str] = []
        found = [*self._read(named, "", wrong), *self._read(left_out, LEAVES_OUT, wrong)]
        if len(found) > MOST:
            wrong.append(say("At most {most} are named. Use a role or a code.", most=MOST))
        if both := sorted(self.say([key]) for key in found if f"{LEAVES_OUT}{key}" in found):
            wrong.append(say("Both meant and left out: {list}.", list=joined(", ", both)))
        if wrong:
            raise NoGroup(joined(" ", wrong))
        return list(dict.fromkeys(found))

    def _read(self, text: str, sign: str, wrong: list[str]) -> list[str]:
        found = []
        for typed in text.replace("\n", ",").replace(";", ",").split(","):
            word = " ".join(typed.split())
            keys = self.meant.get(word.casefold(), []) if word else []
            if len(keys) == 1:
                found.append(sign + keys[0])
            elif keys:
                several = joined(", ", (self.words[key] for key in keys[:4]))
                wrong.append(
                    say("“{word}” may be {several}. Write one of them like that.", word=word[:40], several=several)
                )
            elif word:
                wrong.append(say("“{word}” is no role, code, country or name here.", word=word[:40]))
        return found

    def say(self, keys: Iterable[str]) -> str:
        """Return keys in words, parted by commas; what is gone is said by its key."""
        return joined(", ", (self.words.get(key, key) for key in keys))

    def lines(self, keys: Sequence[str]) -> tuple[str, str]:
        """Return what is typed to mean some keys: those named, those left out, a line each."""
        named = [key for key in keys if not key.startswith(LEAVES_OUT)]
        out = [key[1:] for key in keys if key.startswith(LEAVES_OUT)]
        written = ["\n".join(str(self.words.get(key, key)) for key in keys) for keys in (named, out)]
        return written[0], written[1]

    def sentence(self, keys: Sequence[str]) -> str:
        """Return whom some keys mean, as it stands beside a rule."""
        named = [key for key in keys if not key.startswith(LEAVES_OUT)]
        out = [key[1:] for key in keys if key.startswith(LEAVES_OUT)]
        return joined(
            "",
            (self.say(named) if named else say("everybody"), say(", but not {say}", say=self.say(out)) if out else ""),
        )
