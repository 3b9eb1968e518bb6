"""How a bank is put together: what its cables carry, what protects them, which link goes where, and what flows then."""
