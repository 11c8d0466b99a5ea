"""What reaches people: notices in the application, and mail."""
