"""Bars from files, whatever they are written in: read, looked at, stored, and watched for more."""
