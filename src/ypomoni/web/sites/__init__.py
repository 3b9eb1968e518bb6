"""The list of sites, and site files in and out."""
