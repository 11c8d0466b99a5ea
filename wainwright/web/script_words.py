"""What scripts say: each text stands here for translation as it stands in ``static/web/*.js``, and is found there by itself."""

from __future__ import annotations

from django.utils.translation import gettext
from django.utils.translation import gettext_noop as later

from wainwright.language import locale

TEXTS = (
    later("It was not taken. Press Change and keep it again: then it says why."),
    later("It was not taken. Finish it on the full page."),
    later("It was refused ({status}). Open the full pages."),
    later("Cost"),
    later("Ride"),
    later("Paper"),
    later("no name"),
    later("{count} on this phone, not sent yet"),
    later("Signed out. What waits is sent once you sign in."),
    later("Sign in"),
    later("This page is for those who travel, as themselves."),
    later("Wainwright does not answer. What you take down waits here."),
    later("No signal. What you take down waits here, and is sent when it is back."),
    later("Sending…"),
    later("Not everything was taken: see below."),
    later("Everything is sent."),
    later("Taken down by somebody else on this phone: it is sent when they sign in."),
    later("It is shown, and sent, when whoever took it down signs in."),
    later("Change"),
    later("Drop"),
    later("{name}, {firm}. As of {time}"),
    later("and {count} more on your desk"),
    later("Nothing remains."),
    later("{left} remains."),
    later("{left} too much."),
    later("The joint between two parts"),
    later("That did not open: it may be gone, or there is no connection. Load the page anew."),
    later("That was not done: the server could not answer. What you typed is still here; try again."),
    later("Typed before and not kept yet"),
    later("That was not done: there is no connection. What you typed is still here; try again."),
    later("No passkey was used: it was called off, or took too long. Try again, or sign in another way."),
    later("This browser could not use a passkey here. Sign in another way."),
    later("being sent"),
    later("waits for the signal; it is kept on this device"),
    later("taken in"),
    later("not taken; sign in and send it again"),
    later("waits to be sent"),
    later("1 paper taken in; it is being read."),
    later("{count} papers taken in, being read."),
)


def script_words() -> dict[str, str]:
    """The texts of scripts by their English, in the language that is read; nothing where that is English."""
    return {} if locale() is None else {text: gettext(text) for text in TEXTS}
