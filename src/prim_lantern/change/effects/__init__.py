"""What a change comes to: exactly, later on, in a few lines, and why to think twice."""
