"""One file per verb that web and command line share: load, compute, save. An action owns its transaction's meaning; the edge opens it."""
