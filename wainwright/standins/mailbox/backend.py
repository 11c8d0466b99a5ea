"""Takes Django's mail into the mailbox stand-in."""

from django.core.mail.backends.base import BaseEmailBackend

from wainwright import clock
from wainwright.standins.mailbox.models import Mail


class Backend(BaseEmailBackend):
    """Keeps every mail in the database instead of sending it."""

    def send_messages(self, email_messages):
        """Keep the messages and return how many."""
        for message in email_messages:
            raw = message.message().as_bytes()
            names = [attached[0] for attached in message.attachments]
            for to in message.to:
                Mail.objects.create(
                    to=to,
                    subject=message.subject[:200],
                    text=message.body,
                    raw=raw,
                    attachments=names,
                    time=clock.now(),
                )
        return len(email_messages)
