"""What the worker does by the clock."""

from datetime import timedelta

from huey import crontab
from huey.contrib.djhuey import db_periodic_task

from wainwright import clock
from wainwright.claims.binding import forget_old
from wainwright.claims.services.books import finish_what_broke_off
from wainwright.expenses.services.feeds import ask_for_all
from wainwright.expenses.services.mails import open_again_what_broke_off, take_from_folder
from wainwright.expenses.services.reading import read_again_what_broke_off
from wainwright.people.files import delete_dropped
from wainwright.people.models import Attempt, Guess, Once
from wainwright.trail import anchors
from wainwright.trips.services.road import move_along


@db_periodic_task(crontab(minute="*"))
def every_minute() -> None:
    """Move trips and holds along, and finish what was broken off: postings, pay runs, readings."""
    move_along(clock.now())
    finish_what_broke_off()
    read_again_what_broke_off()
    open_again_what_broke_off()
    take_from_folder()


@db_periodic_task(crontab(minute="20", hour="4"))
def every_night() -> None:
    """Ask the card issuer for the charges of every card; forget old presses of forms and old wrong guesses."""
    Once.objects.filter(time__lt=clock.now() - timedelta(days=2)).delete()
    Attempt.objects.filter(time__lt=clock.now() - timedelta(days=2)).delete()
    Guess.objects.filter(time__lt=clock.now() - timedelta(days=2)).delete()
    forget_old()
    delete_dropped()
    anchors.drop_of_the_day()
    ask_for_all()
