"""Two kinds for Estompe."""
