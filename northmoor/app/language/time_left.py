"""How long work that is counted still takes, in words."""

from northmoor.app.language.translation import tr, tr_count

_KNOWN_AFTER = 3.0
"""Seconds after which a pace is known."""
_SHORT = 5.0
"""Seconds that are not worth a word."""


def time_left_words(seconds: float, done: int, of: int) -> str:
    """About how long something still takes of which so much was done in some seconds; nothing while that is not known,
    or where it is soon over."""
    left = seconds / done * (of - done) if done else 0.0
    if seconds < _KNOWN_AFTER or left < _SHORT:
        return ""
    if left < 60:
        return tr("about {count} s left").format(count=max(round(left / 5) * 5, 5))
    if left < 5400:
        return tr_count(round(left / 60), "about {count} minute left", "about {count} minutes left")
    return tr_count(round(left / 3600), "about {count} hour left", "about {count} hours left")
