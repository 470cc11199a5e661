"""The programs' way in, under /api/v1: routes, and their models beside them."""
