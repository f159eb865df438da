"""The computation: pure functions over arrays and text, without interface, storage or network."""

__all__: list[str] = []
