"""Documents in and out: the site file and quantities as people write them."""
