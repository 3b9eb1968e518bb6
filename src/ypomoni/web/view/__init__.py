"""View models: finished strings and coordinates, so that templates neither compute nor convert."""
