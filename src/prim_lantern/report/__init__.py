"""A page for a board or an auditor: the whole site, on paper or in a browser."""
