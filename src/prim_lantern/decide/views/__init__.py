"""What is shown of a site as a whole: one question, one file."""
