"""A table, slab or machine on feet, read by a level laid between them."""
