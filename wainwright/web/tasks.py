"""What the worker does by the clock."""

import logging
from collections.abc import Callable
from datetime import timedelta

from huey import crontab
from huey.contrib.djhuey import db_periodic_task

from wainwright import clock
from wainwright.api.services import deliver_due
from wainwright.bench.moving import move_on_everywhere
from wainwright.bench.reminding import remind_everywhere
from wainwright.claims.binding import forget_old
from wainwright.claims.services.books import finish_what_broke_off
from wainwright.claims.services.drafting import draft_what_is_back
from wainwright.closing.services import reverse_due
from wainwright.expenses.services.charges import read_again_what_broke_off as read_cards_again
from wainwright.expenses.services.feeds import ask_for_all
from wainwright.expenses.services.mails import open_again_what_broke_off, take_from_folder
from wainwright.expenses.services.reading import read_again_what_broke_off
from wainwright.journals.services import go_on_where_broken_off
from wainwright.masters.services.fetching import fetch_due, put_away_what_broke_off
from wainwright.news.daily import send_daily
from wainwright.operating import archiving, failures, keeping
from wainwright.operating.beats import MINUTELY, NIGHTLY, once_in_all
from wainwright.people.files import delete_dropped
from wainwright.people.models import Attempt, Guess, Once
from wainwright.reconciling.services.taking import read_again_what_broke_off as read_statements_again
from wainwright.reports.following import follow_everywhere
from wainwright.reports.sending import send_due
from wainwright.rulebook.ahead import begin_due as begin_figures
from wainwright.staff.limits import begin_due
from wainwright.trail import anchors
from wainwright.trips.services.road import move_along

log = logging.getLogger(__name__)
FORGOTTEN = timedelta(days=2)


def each(*steps: Callable[[], object]) -> None:
    """Take every step, whatever became of those before it: one that fails is logged, and tried again the next time."""
    for step in steps:
        try:
            step()
        except Exception:
            log.exception("%s failed", getattr(step, "__name__", step))


@db_periodic_task(crontab(minute="*"))
@once_in_all(MINUTELY, timedelta(minutes=1))
def every_minute() -> None:
    """Move trips and holds along, and finish what was broken off: postings, pay runs, readings."""
    each(
        lambda: move_along(clock.now()), finish_what_broke_off, read_again_what_broke_off, read_cards_again, open_again_what_broke_off,
        take_from_folder, move_on_everywhere, go_on_where_broken_off, reverse_due, read_statements_again, put_away_what_broke_off, fetch_due, draft_what_is_back, follow_everywhere, send_due, remind_everywhere, deliver_due, begin_due, begin_figures, failures.tell, archiving.go_on_with_what_broke_off, keeping.go_on_with_what_broke_off,
    )  # fmt: skip


@db_periodic_task(crontab(minute="20", hour="4"))
@once_in_all(NIGHTLY, timedelta(days=1))
def every_night() -> None:
    """Send the day's news, ask the card issuer for the charges of every card, anchor the trail, and forget what is kept for a while only."""
    each(
        send_daily,
        forget,
        forget_old,
        archiving.forget_old,
        keeping.tell_what_is_over,
        delete_dropped,
        anchors.drop_of_the_day,
        ask_for_all,
    )


def forget() -> None:
    """Forget old presses of forms, old attempts to sign in and old wrong guesses."""
    for rows in (Once.objects, Attempt.objects, Guess.objects):
        rows.filter(time__lt=clock.now() - FORGOTTEN).delete()
