"""A simulated mailbox: what is sent is kept and can be read on a page."""
