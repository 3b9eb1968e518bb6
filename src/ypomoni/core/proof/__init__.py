"""What is done on site and after: the work from one plan to another in the order in which nothing goes off line unannounced, and what is due when."""
