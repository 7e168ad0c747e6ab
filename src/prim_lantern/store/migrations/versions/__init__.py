"""One file a version."""
