"""Statements to a checked script: names, kinds, rules, and what is surely not meant."""
