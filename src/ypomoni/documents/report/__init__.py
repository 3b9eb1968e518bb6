"""The report of a plan: a PDF from pages of its own, tagged for readers, with the site file it was made of inside."""
