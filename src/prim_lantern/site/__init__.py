"""What a site is: people, content and rights as plain frozen data. No files, no decisions."""
