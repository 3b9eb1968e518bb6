"""Documents in and out: the site file and quantities as people write them. Called by `actions` and the edges; knows no database."""
