"""The same decisions said with fewer words."""
