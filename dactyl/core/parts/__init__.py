"""Hits in time."""
