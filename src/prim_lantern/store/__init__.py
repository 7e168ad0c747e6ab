"""Where a site is kept: a folder, a database, or memory alone; each with its history."""
