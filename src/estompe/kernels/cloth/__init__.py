"""Loops of cloth."""
