"""Wishes, and the smallest change by which they come true."""
