"""Ways to write a site down and to read it back."""
