"""Trials: ordered, run as jobs, stored, read."""
