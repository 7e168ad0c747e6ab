"""Figures of a site, drawn with Matplotlib; they read without colour as well."""
