"""What somebody could come to, step by step."""
