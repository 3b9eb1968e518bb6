"""What readings say: sums reconciled, slips, how to hook up, and what to read next."""
