"""Align: when it arrives."""
