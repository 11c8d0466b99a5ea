"""Routes at work: who is asked to sign what, and what they said."""
