"""People and their places in the firm: who leads whom, how far one signs, who decides or prepares for whom. Stands on the bench,
where what waits goes on to others."""
