"""Practice: strategies that follow feeds in the server, whether a page looks or not."""

from skelb.service.practice.feeds import FeedChoice, words_of
from skelb.service.practice.practices import Practices
from skelb.service.practice.shown import PracticeLine, PracticeShown
from skelb.service.practice.store import PracticeStore, StoredEvent, StoredPractice

__all__ = [
    "FeedChoice",
    "PracticeLine",
    "PracticeShown",
    "PracticeStore",
    "Practices",
    "StoredEvent",
    "StoredPractice",
    "words_of",
]
