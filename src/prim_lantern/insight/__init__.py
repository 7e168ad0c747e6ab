"""What nobody sees by looking at one thing after the other: what is wrong with the whole site."""
