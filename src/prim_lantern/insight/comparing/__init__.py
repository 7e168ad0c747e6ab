"""Two people, two moments or two sites side by side."""
