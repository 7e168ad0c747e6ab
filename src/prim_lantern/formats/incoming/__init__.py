"""People and content from files of other systems: any columns, words and ways to write a date."""
