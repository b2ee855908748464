"""Loops of rigid bodies: which of them may touch, where they do, and small steps with contacts and joints."""
