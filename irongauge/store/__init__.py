"""Where everything is kept: PostgreSQL, through repositories that take and return the dataclasses of `core`."""
