"""What the worker does by the clock."""

from huey import crontab
from huey.contrib.djhuey import db_periodic_task

from wainwright import clock
from wainwright.claims.services.books import finish_what_broke_off
from wainwright.expenses.services.receipts import read_again_what_broke_off
from wainwright.trips.services.road import move_along


@db_periodic_task(crontab(minute="*"))
def every_minute() -> None:
    """Move trips and holds along, and finish what was broken off: postings, pay runs, readings."""
    move_along(clock.now())
    finish_what_broke_off()
    read_again_what_broke_off()
