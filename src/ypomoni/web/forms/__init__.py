"""Forms: typed text in, columns out, every fault beside its field, nothing typed lost."""
