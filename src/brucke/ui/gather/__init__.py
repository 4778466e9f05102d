"""Gather: what comes in."""
