"""Changing a site: operations, who may make them, their effects, and the history."""
