"""The versions of a database's tables, and the way from one to the next."""
