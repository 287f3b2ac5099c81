"""The one exception that reaches a person: a sentence saying what happened, to which file, and what to do."""


class TempikError(Exception):
    """Something a person can mend. Its text is one complete sentence, fit for a status line or stderr."""
