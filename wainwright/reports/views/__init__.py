"""Pages of reports: the catalogue, a question and its answer, what is kept and sent."""
