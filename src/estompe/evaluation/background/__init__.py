"""Evaluation on threads of its own."""
